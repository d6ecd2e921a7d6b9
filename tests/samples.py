"""How many random designs a test looks at: few in the ordinary run, more on demand, always with their seed told.

``LEXIPOD_SAMPLES=10 ./run-tests`` takes ten times as many, ``LEXIPOD_SEED=7`` other ones.
"""

import os
import random
from collections.abc import Iterable
from typing import TypeVar

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
