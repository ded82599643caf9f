"""How a phone learns to trust the dairy’s own https."""
