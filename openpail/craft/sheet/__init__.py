"""A recipe turned to this milk: the sheet, its words, its what-ifs, its cautions."""
