-- voices carry further when the air is cold
range_km = 12
