"""The computation, room by room, in the order in which the data comes through.

    units       quantities and their wording
    plain_text, held_folder, pictures   texts, folders and pictures that others have made, and may not be trusted
    stats/      numbers -> intervals and ratios over launches and over tasks -> what follows: arrays in, values out
    measures/   an output and its reference -> numbers
    plan/       a TOML file -> a checked Plan -> the runs to make
    rig/        the machine that they are made on: facts, telemetry, accelerators
    ask/        one request over HTTP -> the pieces of its answer
    drafting/   a script, weights, a program, a server -> a first plan
    run/        a Plan -> events from beside the model -> runs
    logbook/    runs, outputs and measures, kept safely
    exchange/   a logbook's runs -> tables in files, and timings from elsewhere back in
    evidence/   the runs that count, as columns, and what is known of them
    findings/   evidence + stats -> a comparison, an audit, a curve, a trade-off
    session/    all of these together: a plan's runs from beginning to end, a trial, what is measured of outputs

A room imports only from rooms above it. Nothing here draws, prints or knows the command line.
"""
