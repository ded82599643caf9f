"""Milk: its lots, its herds, and the vat that pasteurises it."""
