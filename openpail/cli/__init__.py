"""The commands behind ./pail, each read when it is called: a backup waits for no recipe book."""
