"""A make under way, whichever station it stands at: read, on the clock, told."""
