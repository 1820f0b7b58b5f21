"""The kinds of runner: what each starts, and how it is heard.

starting.py starts the process that a variant's runner asks for. A worker (worker_process.py, ring.py) is asked through
a pipe and tells through shared memory: python_runner.py has one that runs a script, stream_runner.py one that asks a
server (asker/). command_runner.py starts a program for each run (program_run.py), and reads what it prints
(control_codes.py, printed_progress.py, printed_answer.py).
"""
