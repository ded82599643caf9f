"""The logbook."""
