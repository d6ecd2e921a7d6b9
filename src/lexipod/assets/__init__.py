"""Fonts that ship with the program."""
