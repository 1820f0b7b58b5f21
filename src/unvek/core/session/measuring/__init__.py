"""What a plan asks of outputs, worked out and kept: a step of its own, which commands that read call openly.

To know what a likeness means, the reference's own runs are held against each other too: against another run of the
same seed (as alike as it gets) and against another seed (as different as luck makes it). Between the two lies the drift
scale.

wanted       which values are missing, and which of them are one and the same
worker       works one out; asking does so by a program or a script of the user's, within a fence
crew         many at a time, over the cores
working_out  all of it, kept as it comes; found is what is said of it
"""
