"""The stock: bottles, packets and jars on their shelves."""
