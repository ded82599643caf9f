"""The dairy: its things and ways, its people, stock, recipes and instruments."""
