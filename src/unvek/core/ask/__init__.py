"""One request over HTTP and its answer, piece by piece as it comes: for runners, and for whoever else asks a model.

A Question (question.py) is sent through httpx (connection.py says why its body is not read there), cut into messages
(body.py, framing.py), and what stands in them where pointers.py leads is told to an Ear (answer.py). asking.py sends it
again where that is allowed. secrets.py keeps what must not be told out of all of it, in whatever form
(secret_forms.py).
"""
