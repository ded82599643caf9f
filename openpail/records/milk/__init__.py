"""Lots of milk and their tests."""
