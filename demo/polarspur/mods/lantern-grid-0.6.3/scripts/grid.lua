-- one switch for all lamps of a corridor
grid = {}
