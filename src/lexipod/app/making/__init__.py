"""The station Build: the plan, its drawings, its time, and one step at a time at the table."""
