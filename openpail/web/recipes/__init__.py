"""Recipes, to read."""
