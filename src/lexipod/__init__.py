"""Lexipod: a bench on which an interactive card is worked out before anything is cut."""

__version__ = "0.1.0"
