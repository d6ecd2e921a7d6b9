"""The command line: every figure that the window shows, without a display."""
