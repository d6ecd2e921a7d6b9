"""What was made, what was measured, and what is on the shelf: kept on this machine alone.

make
    One card, or a batch of it, as it was built: the exact design, what was used, what was measured, how it ran, what to change next time.
measure
    A length that was taken on a piece, beside what it was designed as.
error
    Measured less designed. Its *bias* is what it is on average, its *spread* how it scatters (a standard deviation).
way
    A kind of work by a way of cutting (“cut by hand”, “hole with a die”): what errors are told for.
calibration
    How often the program was right: what it said of a card before it was made, beside how the card ran.
shelf
    Stocks, sheets, off-cuts, foam, brads, film and thread that are there, with counts, places and prices.
"""
