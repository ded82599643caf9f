"""The dairy: units, vats, bottles, house ways."""
