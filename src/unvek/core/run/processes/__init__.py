"""The processes that hold models: started, waited for, and ended with all that they have started in turn.

On Linux they are started by a guardian (guardian.py), a small process between the engine and them: it becomes the
parent of whatever their children leave behind, and ends all of it when the engine ends, however that is. guard.py is
the engine's side of it. Elsewhere the engine starts them itself (direct.py), and finds their children again by a mark
(family.py).
"""
