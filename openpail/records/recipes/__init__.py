"""Recipes and their unchanging versions."""
