"""What stands in the stock.

Products and their strength, a fed jar, the Soxhlet test, what flocks teach of a bottle.
"""
