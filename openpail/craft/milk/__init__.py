"""Milk by itself: kinds, the test slip, acidity, density, blending, fitness, a herd's means.

Knows no recipe and no dose.
"""
