"""The sheet: a recipe turned to the milk at hand."""
