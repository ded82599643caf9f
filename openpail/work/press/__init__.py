"""Press & salt: the makes there, their presses and moulds, the tubs of brine."""
