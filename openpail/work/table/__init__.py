"""The table: weights, tastes, labels, money."""
