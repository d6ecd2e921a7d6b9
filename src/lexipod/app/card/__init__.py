"""The middle of the window: the card flat, standing, as a cut through its edge, and as its sheets.

lens / glass
    How near the card is looked at and where it lies in the view; the glass that enlarges what is under the pointer.
reach
    How far a handle can go, worked out beside the window and marked along its way.
"""
