"""How Unvek runs sprig as a script: load() reads a variant's weights, run() writes one card and reports each character.

A task with an input file is not written but read: how likely the card in the file is, character by character, goes
into an output from which Unvek works out perplexity and likeness to the reference.
"""

import numpy as np
import sprig


def load(variant):
    """Return the model."""
    return sprig.Sprig(variant.weights[0])


def run(model, job, probe):
    """Write the card that the prompt asks for, or read the one that is given."""
    if job.inputs:
        read_card(model, job, probe)
        return
    probe.tokens_in(len(sprig.asked(*sprig.parse_prompt(job.prompt))))
    probe.phase("write")
    for character in model.write(job.prompt, job.seed, job.settings.get("temperature", 0)):
        probe.token(character)


def read_card(model, job, probe):
    probe.phase("read")
    log_probabilities, tokens = model.log_probabilities(
        job.prompt, job.inputs[0].read_text(encoding="utf-8").rstrip("\n")
    )
    np.savez(job.out / "card.scores.npz", log_probabilities=log_probabilities.astype(np.float32), tokens=tokens)
    probe.output(job.out / "card.scores.npz")
