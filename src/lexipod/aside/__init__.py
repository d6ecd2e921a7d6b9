"""Work in processes of its own, so that no reckoning holds up a hand.

wire
    How a call and its answer go from one process to the other.
examiner
    The process that checks every revision of a design: coarse, fine, and with cures.
chore
    One long piece of work, called by name, given up by ending its process.
"""
