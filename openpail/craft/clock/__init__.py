"""When.

Spans of minutes, one make on the clock, several beside each other; how long, with what gear,
what made ready.
"""
