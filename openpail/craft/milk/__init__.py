"""Milk by itself.

Kinds and composition, the test slip, acidity, density, blending, fitness, a herd's means. Knows no recipe and no dose.
"""
