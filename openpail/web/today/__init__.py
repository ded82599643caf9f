"""Today: the next thing, the day, the cares, the milk waiting."""
