"""Where plans, sessions, runs, outputs and measurements are kept: a folder beside the plan.

runs.sqlite   sessions, launches, runs: rows.py says what a row of each table is, as a typed value; tables.py,
              database.py, slots.py, reading.py and store.py do the rest; upgrades/ brings older ones up to date
outputs/      what the runs made, a folder a run: folder.py
logs/         what the models' processes printed
journal/      what happened, line by line

Instead of runs.sqlite, a team's database: place.py says where a logbook is, backend.py what any database has to do,
sqlite_backend.py and postgresql_backend.py how two of them do it, column_types.py what their columns give back;
change_counting.py has each count changes of runs, and team_work.py tells what the machines of a team are at.

plan_record.py turns a plan into JSON and back. measure_names.py says under which name a measured value is shown: one by
another definition than the plan's is not.
"""
