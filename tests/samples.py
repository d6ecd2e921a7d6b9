"""How many random designs a test looks at: few in the ordinary run, more on demand, always with their seed told.

``LEXIPOD_SAMPLES=10 ./run-tests`` takes ten times as many, ``LEXIPOD_SEED=7`` other ones.
"""

import os
import random
from collections.abc import Iterable
from typing import Any, TypeVar
from unittest import mock

T = TypeVar("T")

FACTOR = float(os.environ.get("LEXIPOD_SAMPLES", "1"))
SEED = int(os.environ.get("LEXIPOD_SEED", "20"))


def sample_size(usual: int) -> int:
    """So many designs, the usual number by default."""
    return max(1, round(usual * FACTOR))


def sampler(offset: int = 0) -> tuple[random.Random, str]:
    """Chance with a seed, and how that is told when a test fails."""
    return random.Random(SEED + offset), f"LEXIPOD_SEED={SEED}"


def some_of(things: Iterable[T], usual: int, offset: int = 0) -> list[T]:
    """So many of some things, in their order; other ones with another seed, all of them with a factor that is large enough."""
    every = list(things)
    picks = random.Random(SEED + offset).sample(range(len(every)), min(len(every), sample_size(usual)))
    return [every[k] for k in sorted(picks)]


def short_search(wish: int = 12, nearer: int = 4) -> Any:
    """A search for what is wished, and for values nearer to it, of a few tries only: for tests that ask what is told, not how far it goes."""
    return mock.patch.multiple("lexipod.fitting.sizing", SEARCHED=round(wish * FACTOR), SEARCHED_NEARER=round(nearer * FACTOR))
