"""The rules of the craft: pure functions over frozen dataclasses.

Nothing here knows of a screen, a table, a clock or a file (house.toml, the package's own data,
is read once). What needs a house value takes a `House`; what needs the time takes the time.
"""
