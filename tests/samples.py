"""How many random designs a test looks at: few in the ordinary run, more on demand, always with their seed told.

``LEXIPOD_SAMPLES=10 ./run-tests`` takes ten times as many, ``LEXIPOD_SEED=7`` other ones.
"""

import os
import random

FACTOR = float(os.environ.get("LEXIPOD_SAMPLES", "1"))
SEED = int(os.environ.get("LEXIPOD_SEED", "20"))


def sample_size(usual: int) -> int:
    """So many designs, the usual number by default."""
    return max(1, round(usual * FACTOR))


def sampler(offset: int = 0) -> tuple[random.Random, str]:
    """Chance with a seed, and how that is told when a test fails."""
    return random.Random(SEED + offset), f"LEXIPOD_SEED={SEED}"
