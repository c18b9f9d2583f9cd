-- wakes before everything else and hands the others a clock
clock = station.clock()
return { tick = function() return clock:now() end }
