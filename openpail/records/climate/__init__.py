"""How warm and how damp the places are: every value, rolled up by hour and by day."""
