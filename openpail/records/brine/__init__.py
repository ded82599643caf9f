"""Tubs of brine, and what lies or lay in them."""
