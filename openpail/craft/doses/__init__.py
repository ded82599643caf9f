"""One dose each.

Calcium chloride, culture, rennet, acid; the set that follows; swaps, spoons, how to add it,
notices. `asked` is what all of them are asked with; `dose` puts each together.
"""
