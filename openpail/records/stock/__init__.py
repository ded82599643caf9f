"""Bottles and packets in the fridge."""
