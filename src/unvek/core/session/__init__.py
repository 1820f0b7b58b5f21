"""All rooms together: a plan's runs from beginning to end, and what is worked out of their outputs.

making.py     one `run`: the bench that it is made on, its session, its journal
rounds.py     a plan's rounds, and those that settle its ratios
trial.py      the same for one variant on one prompt
measuring.py  what a plan asks of outputs, worked out and kept
"""
