-- five dogs
team = 5
