"""What judges say, as figures: ratings from pairs, and how far judges agree."""
