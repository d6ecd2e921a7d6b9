"""The window on one design.

session
    Owns the design; every change is one undo command; says that it changed, with a revision.
desk
    What follows from the design for the eyes: assembly, poses, findings; fine checks come from the background.
view state
    Station, travel cursor, what is picked, the section line: never saved, never undone.
station
    A step of the maker's work: Card, Mechanism, Travel, Fit, Sheets.
"""
