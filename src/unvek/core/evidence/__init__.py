"""The runs that count, as columns, and what is known of them: what every finding rests on.

gathering.py takes from a logbook what counts for its newest plan. What comes of that is an Evidence (evidence.py): the
runs (runs.py), how they were set (settings.py), what outputs are held against (held.py, partners.py) and the measures'
values (values.py). outputs.py reads what the runs have made.
"""
