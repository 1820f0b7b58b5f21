"""Where plans, sessions, runs, outputs and measurements are kept: a folder beside the plan.

runs.sqlite   sessions, launches, runs: rows.py says what a row of each table is, as a typed value; tables.py,
              database.py, slots.py, reading.py, store.py and upgrade.py do the rest
outputs/      what the runs made, a folder a run: folder.py
logs/         what the models' processes printed
journal/      what happened, line by line: recovery.py keeps what a killed engine was in the middle of

plan_record.py turns a plan into JSON and back. measure_names.py says under which name a measured value is shown: one by
another definition than the plan's is not. outlook.py says what is left of a plan, and what earlier runs teach about how
long it will take.
"""
