-- a pencil for your own map
ink = "grey"
