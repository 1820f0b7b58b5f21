"""Judges that are no people, asked: a model behind a server, or a program, one question after the other.

asking.py goes through what is to be asked and keeps each verdict as it comes; wording.py puts a question into words,
reply.py reads what comes back, models.py and programs.py ask.
"""
