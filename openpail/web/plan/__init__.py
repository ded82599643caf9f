"""Planned makes, and the clock of the dairy that they share."""
