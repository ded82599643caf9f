"""The Bench: milk into the vat, in the right ratio, standardised."""
