"""The planning problem as arrays: plans, tables, transitions between states."""
