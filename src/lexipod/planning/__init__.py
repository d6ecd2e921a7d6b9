"""The order in which a card is built, derived from its parts, what lies over what, what is glued to what, and how it moves.

put
    Something that comes to its place at one moment: a piece, a flap that is folded over others, a brad's head, its legs.
seed
    The piece on which all others are put, from the front and from behind, outwards.
unit
    Pieces of one mechanism that are joined in the hand and come to the card as one.
step
    What the maker does at one go: what is put, why now, with which tools, how long it takes and how long it then waits.
before
    A step that comes before another one, with the reason in a phrase; what *must* be, against what is *better* so.
schedule
    When each step is done by one pair of hands, for one card or several, with other work put into the waits.
"""
