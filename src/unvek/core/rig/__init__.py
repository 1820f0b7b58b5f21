"""The machine that runs are made on: facts and a fingerprint."""
