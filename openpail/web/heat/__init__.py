"""Pasteurising in a vat: the record as it grows."""
