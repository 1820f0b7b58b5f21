"""Where runs, outputs and measures are kept: a folder beside the plan.

runs.sqlite   launches, runs, outputs and measures        (tables.py, store.py)
outputs/      what the runs made, a folder a run          (folder.py)
logs/         what the models' processes printed
journal/      what happened, line by line
"""
