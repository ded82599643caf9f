"""The people of a dairy, and what each does about their own name and password."""
