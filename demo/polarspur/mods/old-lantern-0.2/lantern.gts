lantern { oil = 3 }
