"""What models' weights need, beside what the machine has, and beside what runs of them were seen to take."""
