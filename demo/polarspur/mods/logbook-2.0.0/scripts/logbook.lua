-- who came, who left, and when
keep_days = 30
