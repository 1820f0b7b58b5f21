"""Timing by hand of what Unvek can't start: what keys have said becomes runs, which are filed as timed by hand.

acts.py says what a key can say, lanes.py folds acts into timed runs, presses.py tells a press from a key held down,
journal.py keeps acts safe as they come, filing.py puts the runs into a logbook; hand.py knows how far a hand is off.
"""
