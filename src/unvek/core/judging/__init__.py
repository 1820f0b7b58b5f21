"""Questions about outputs that are kept: which are put, to whom, and what comes back.

The way of a question: drawing.py draws which outputs are shown and on which side; of_ballot.py says what a page for a
person has; answers.py and collecting.py take in what was said.
"""
