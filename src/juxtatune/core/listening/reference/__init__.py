"""The tuning reference of a recording."""
