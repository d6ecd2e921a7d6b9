"""Flat mechanisms: the equations of their joints, and the poses of their parts over the travel."""
