"""Milk into the vat.

The recipe's ratio, standardising, the rectangle of differences, what to measure next, the vat's
room.
"""
