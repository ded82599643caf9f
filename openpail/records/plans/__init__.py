"""Makes that are planned."""
