-- north is where the flag is
show = true
