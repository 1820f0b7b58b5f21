"""The process that asks a server and stamps what it answers: one beside each launch of a stream runner.

It is a process of its own, so that the engine stays quiet and a hostile server can harm nothing but it. `__main__`
is asked by the engine (worker_process.py) and makes runs of requests (load.py), which core/ask sends; what is heard is
laid down as events (telling.py).
"""
