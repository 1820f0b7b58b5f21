"""What is repeated is the launch: where variants lie, their ratios, how launches differ, and what they leave behind."""
