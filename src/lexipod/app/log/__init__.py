"""The station Log: what was made, what was measured, how often the program was right, and the shelf."""
