"""Measures of scores: what a model expected where the tokens of a given text stand. Arrays in, values out.

log_probabilities: (tokens, vocabulary), natural logarithms, each row those of one token given all before it; tokens:
(tokens,), the indices of the tokens that the text has.
"""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating]


def perplexity(log_probabilities: Floats, tokens: NDArray[np.integer]) -> float:
    """Return exp of the mean negative log-probability of a text's tokens (Jelinek et al. 1977): 1 is sure of each.

    Raises ValueError for arrays that do not fit each other.
    """
    scored(log_probabilities, tokens)
    if tokens.min() < 0 or tokens.max() >= log_probabilities.shape[1]:
        raise ValueError(f"tokens must be from 0 to {log_probabilities.shape[1] - 1}")
    return float(np.exp(-log_probabilities[np.arange(len(tokens)), tokens].mean(dtype=np.float64)))


def scored(log_probabilities: Floats, tokens: NDArray[np.integer]) -> float:
    """Return how many tokens were scored. ValueError as for perplexity."""
    if log_probabilities.ndim != 2 or tokens.shape != log_probabilities.shape[:1] or not len(tokens):
        raise ValueError(f"scores of shape {log_probabilities.shape} do not fit {tokens.shape} tokens")
    return float(len(tokens))


def kl(reference: Floats, ours: Floats) -> float:
    """Return the mean Kullback-Leibler divergence of ours from the reference, in nats a token (1951): 0 is the same.

    sum over the vocabulary of p (log p - log q), with p the reference's; a term with p = 0 is 0. Raises ValueError
    where the shapes differ.
    """
    _check_shapes(reference, ours)
    p = np.exp(reference.astype(np.float64))
    with np.errstate(invalid="ignore"):
        terms = np.where(p > 0, p * (reference.astype(np.float64) - ours), 0.0)
    return float(max(0.0, terms.sum(axis=1).mean()))


def top1(reference: Floats, ours: Floats) -> float:
    """Return the share of tokens where both hold the same token for the likeliest. ValueError as for kl."""
    _check_shapes(reference, ours)
    return float((reference.argmax(axis=1) == ours.argmax(axis=1)).mean())


def _check_shapes(reference: Floats, ours: Floats) -> None:
    if reference.ndim != 2 or reference.shape != ours.shape or not len(reference):
        raise ValueError(f"scores of shapes {reference.shape} and {ours.shape} can't be compared")
