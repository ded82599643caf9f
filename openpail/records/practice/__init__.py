"""Dry runs."""
