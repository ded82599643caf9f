"""The sheet of a make, and which make it could be."""
