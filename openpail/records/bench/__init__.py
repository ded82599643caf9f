"""The Bench: what is to be poured, and what really was."""
