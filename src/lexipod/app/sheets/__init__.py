"""The station where pieces are laid on sheets: what is laid, the table they are moved on by hand, and the way to a plotter."""
