"""Forms that were answered: the same one sent again gets the first answer."""
