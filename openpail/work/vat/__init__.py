"""The vat: what it shows, its warmth, its probe, its photos, and practice at it."""
