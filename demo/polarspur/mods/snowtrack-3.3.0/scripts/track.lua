-- footprints that the wind takes away
fade_minutes = 40
