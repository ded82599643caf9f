"""What is kept: SQLAlchemy models, one package per aggregate, and the actions over them.

`<aggregate>/actions` is the one set of operations that screens, demo and importers call. Actions
flush; the edge (a request, a command) commits. Nothing here knows of a screen.
"""
