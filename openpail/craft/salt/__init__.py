"""Salt: brine by its strength, tubs of it as they live, hours in it, the rind, what a cheese holds.

Knows no recipe and no make: whoever salts says what cheese, what salt, what brine.
"""
