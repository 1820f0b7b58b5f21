"""A Plan -> events from beside the model -> runs.

The engine (engine.py) asks a runner for processes (python_runner.py), folds the events that come from them
(events.py, recording.py) into runs (record.py), tells the journal what happens (journal.py), and hands every
run that ends to a keeper, which is the logbook.
"""
