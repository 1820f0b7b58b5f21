"""Where runs, outputs and measures are kept: a folder beside the plan.

runs.sqlite   launches, runs, outputs and measures        (tables.py; database.py, reading.py, store.py; upgrade.py)
outputs/      what the runs made, a folder a run          (folder.py)
logs/         what the models' processes printed
journal/      what happened, line by line                 (recovery.py keeps what a killed engine was in the middle of)

outlook.py says what is left of a plan, and what earlier runs teach about how long it will take.
"""
