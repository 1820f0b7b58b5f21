"""A first plan, drafted from what is there: a script, weights, a program, a server; with comments that teach.

draft.py is what a draft is, and its text; each of the others makes one from what it is given. What can't be known is
asked, and guessed where nobody answers: a draft is a plan that runs.
"""
