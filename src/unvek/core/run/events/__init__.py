"""What is heard of a run: an event a line (event.py), folded into its progress (recording.py, streams.py).

What a run may not tell is taken out (sieve.py); record.py says what is kept of it in the end.
"""
