"""A make as it happens.

Deeds and their limits, the fold of them, the frozen sheet, what may start.
"""
