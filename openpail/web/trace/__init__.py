"""Trace."""
