"""Ripening: the cares of a cheese by stage, and room for it."""
