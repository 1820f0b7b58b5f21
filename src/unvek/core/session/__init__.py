"""All rooms together: a plan's runs from beginning to end, and what is worked out of their outputs.

workplace       the machine and the logbook, held and put in order: what every session of runs needs
making, trial   one `run`; one `try`
rounds, settling, what_is_left   which runs are still to be made, and how long that takes
checkup         what can be told before anything runs; changed_files, which weights and scripts are others now
recovery        the run that a killed engine was in the middle of
measuring       what a plan asks of outputs, worked out and kept
"""
