"""Finished pieces and their cares."""
