"""A dairy: its name, zone, units, house ways, vats and overruled house values."""
