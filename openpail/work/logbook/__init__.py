"""The logbook: makes found, compared, tried, traced, and what they taught."""
