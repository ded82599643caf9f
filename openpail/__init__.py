"""Open Pail: a farmstead cheesemaker's notebook and calculator."""
