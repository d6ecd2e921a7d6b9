"""Mechanisms that are folded and rise, open or turn over: each module is one recipe and ends in ``RECIPE``."""
