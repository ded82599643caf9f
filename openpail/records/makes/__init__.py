"""Makes: what was planned, frozen, and every event since."""
