"""A recipe.

Its parts, its steps laid out in time, the cheese its family gives, and a second reader.
"""
