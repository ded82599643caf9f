"""Moulds, presses and what presses on a cheese: loads by area, what to hang, how it stands.

Knows no recipe and no make: whoever presses says what mould, what press, what load.
"""
