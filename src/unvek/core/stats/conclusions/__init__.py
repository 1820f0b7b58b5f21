"""What follows from the numbers: answers, fits, plateaus, frontiers, and what more rounds would tell."""
