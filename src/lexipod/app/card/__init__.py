"""The middle of the window: the card flat, standing, as a cut through its edge, and as its sheets."""
