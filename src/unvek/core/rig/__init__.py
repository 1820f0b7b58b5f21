"""The machine that runs are made on.

What it is: facts.py, with a fingerprint; present.py opens its accelerators (accelerators.py says what one is, nvidia.py
and simulated.py are the kinds there are). What it does meanwhile: machine.py, process_tree.py and energy.py each read a
part, and telemetry.py follows a run with all of them. How quiet it is now: quiet.py.
"""
