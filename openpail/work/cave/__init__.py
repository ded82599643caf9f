"""The cave: pieces, places, cares."""
