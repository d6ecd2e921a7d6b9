"""Mechanisms that stay flat: each module is one recipe and ends in ``RECIPE``."""
