"""The table: weigh the cheese, see the yield."""
