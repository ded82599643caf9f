"""A recipe as people write it: quantities, clauses, and the make that they tell."""
