"""The days: what is planned, what is due, what runs."""
