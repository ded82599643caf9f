"""What a make was, in figures that can be laid beside those of another."""
