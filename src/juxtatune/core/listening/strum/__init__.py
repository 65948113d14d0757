"""All strings from one strum."""
