"""The vat: one step at a time, and what was read."""
