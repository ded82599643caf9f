"""Milk: pails on a shelf, new milk, tests."""
