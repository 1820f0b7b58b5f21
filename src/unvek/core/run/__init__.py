"""A Plan -> events from beside the model -> runs.

forecast, remaining   how long things take, and what is left
machine_lock          one benchmark at a time on a machine
outputs_room          what runs put out, taken from folders that they may have done anything to
processes/            processes started, waited for, and ended with all that they have started
events/               what is heard of a run, folded into a record of it
journal/              what happens, told to whoever watches, and what these ask for
engine/               makes the runs: a process for each launch, watched and held within limits
runners/              the kinds of process
"""
