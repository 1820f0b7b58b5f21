"""How Unvek runs it: names are written a letter at a time, or a given one is scored."""

import numpy as np
import torch
from network import LETTERS, Names, codes_of, quantized

torch.set_num_threads(1)


def load(variant):
    network = Names()
    network.load_state_dict(torch.load(variant.weights[0], weights_only=True))
    network.eval()
    return quantized(network) if variant.settings["bits"] == 8 else network


@torch.inference_mode()
def run(model, job, probe):
    if job.inputs:
        score(model, job, probe)
        return
    generator = torch.Generator().manual_seed(job.seed)
    codes, state = torch.zeros((1, 1), dtype=torch.long), None
    probe.phase("write")
    for _ in range(job.settings["letters"]):
        scores, state = model(codes, state)
        codes = torch.multinomial(scores[0, -1].softmax(-1), 1, generator=generator)[None]
        probe.token(LETTERS[int(codes)])


def score(model, job, probe):
    codes = codes_of("".join(job.inputs[0].read_text().split()))
    scores, _ = model(codes[:, :-1])
    path = job.out / "names.scores.npz"
    np.savez(path, log_probabilities=scores[0].log_softmax(-1).numpy(), tokens=codes[0, 1:].numpy())
    probe.output(path)
