"""Press & salt: the presses as they stand, the tubs on their shelf."""
