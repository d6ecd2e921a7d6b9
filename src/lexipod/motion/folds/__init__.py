"""What folds: the equations of its creases and loops, and the frames of its panels over the opening."""
