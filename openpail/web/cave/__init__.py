"""The cave: pieces and their next care."""
