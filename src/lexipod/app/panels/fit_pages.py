"""The pages of the station Fit, in their order."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Page:
    """One page of the station: its button is its id; where the edge view is shown over it, it ``has_edge``."""

    id: str
    title: str
    has_edge: bool = False


PAGES = (
    Page("findings", "What stands in the way", has_edge=True),
    Page("foam", "Foam and free zones"),
    Page("heights", "Heights and post", has_edge=True),
    Page("builds", "A thousand builds"),
    Page("versions", "Versions and other sizes"),
)
