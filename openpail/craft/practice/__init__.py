"""A dry run: a make on a reckoned vat, in fast time, with mishaps, judged at its end."""
