"""A Plan -> events from beside the model -> runs.

The engine (engine.py) asks a runner for processes (runner.py says what one is; runners/ has them), holds each run
within its limits (launch.py, limits.py), folds the events that come from it (events.py, recording.py, streams.py) into
a run (record.py), tells the journal what happens (journal.py), and hands every run that ends to a keeper, which is the
logbook. It does what users ask (interruption.py, asks.py), one benchmark at a time on a machine (turn.py), and
foresees how long things take (forecast.py, remaining.py).
"""
