-- lamps that eat the generator
load_watts = 300
