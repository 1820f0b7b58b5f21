"""Makes runs, round by round, and hands each to a keeper, which is the logbook, the moment it ends.

engine.py has the order of things; bench.py is what it works with. A launch (launch.py) is one process (model_process.py
says what one is), heard without the secrets that it was given (hearing.py), watched and held within limits (limits.py,
looping.py, memory_fence.py), its printed lines kept (printed_log.py). interruption.py hears what the user wants
meanwhile.
"""
