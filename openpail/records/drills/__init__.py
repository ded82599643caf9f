"""Recall drills."""
