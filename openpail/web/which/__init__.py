"""Which can I make? The recipes held against what there is today."""
