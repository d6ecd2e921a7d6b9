"""The window that composes all parts, with its actions, files, stations and messages."""
