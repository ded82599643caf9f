"""Trials that are planned, and looks at the logbook that are kept."""
