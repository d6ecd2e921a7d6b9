"""The plotter's window; nothing outside this folder knows of one."""
