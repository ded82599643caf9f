"""The Bench: what stands in a vat, and what the hands pour."""
