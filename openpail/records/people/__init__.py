"""People, their place in a dairy, and how sign-in is kept from being tried for ever."""
