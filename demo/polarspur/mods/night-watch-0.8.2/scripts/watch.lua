-- wakes the station when a storm comes
warn_minutes = 10
