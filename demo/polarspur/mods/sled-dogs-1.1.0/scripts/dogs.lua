-- six dogs, one of them lazy
team = 6
