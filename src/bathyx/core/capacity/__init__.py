"""What the tank holds and weighs: gross, net and usable, level and on the slope."""
