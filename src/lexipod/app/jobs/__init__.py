"""Long work on the side, and its answers."""
