"""Outside devices: for each a line protocol, a reader, and a stand-in that ships with it."""
