"""What the author of a recipe may use.

parameter / lever / site / recipe
    The words of a recipe (`parameters`).
lay
    A flat recipe's own directions: along the travel, across it, and where an edge of exit lies.
stack / levels
    Parts laid on one another from the back to the front, and the names of their levels.
sheet / stand
    What a recipe asks of the panel and the frame that all mechanisms share, and what they agreed on.
folds
    Panels, creases and scored sheets of a recipe that folds.
sliding_strip / v_carrier
    A strip that slides in its guides, and a V-fold that carries other parts, each the same in several folding recipes.
values / usual / cues
    Values read by name; parameters and levers that many recipes have; what tells the reader how to move it.
"""
