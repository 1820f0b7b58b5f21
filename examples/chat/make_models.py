"""Make a tiny text model with weights drawn at random, in full precision and in bf16: a folder each, under models/."""

from pathlib import Path

import torch
from tokenizers import Tokenizer, decoders, models, pre_tokenizers
from transformers import LlamaConfig, LlamaForCausalLM, PreTrainedTokenizerFast

FOLDER = Path(__file__).parent / "models"


def make_tokenizer() -> PreTrainedTokenizerFast:
    """Bytes are tokens: nothing has to be learned."""
    alphabet = sorted(pre_tokenizers.ByteLevel.alphabet())
    vocabulary = {token: place for place, token in enumerate(["<end>", *alphabet])}
    tokenizer = Tokenizer(models.BPE(vocab=vocabulary, merges=[]))
    tokenizer.pre_tokenizer = pre_tokenizers.ByteLevel(add_prefix_space=False)
    tokenizer.decoder = decoders.ByteLevel()
    return PreTrainedTokenizerFast(tokenizer_object=tokenizer, eos_token="<end>", pad_token="<end>")


def main() -> None:
    torch.manual_seed(7)
    tokenizer = make_tokenizer()
    config = LlamaConfig(
        vocab_size=len(tokenizer), hidden_size=384, intermediate_size=1024, num_hidden_layers=6, num_attention_heads=6,
        max_position_embeddings=8192, bos_token_id=0, eos_token_id=0, pad_token_id=0,
    )  # fmt: skip
    model = LlamaForCausalLM(config)
    for name, number in (("full", torch.float32), ("bf16", torch.bfloat16)):
        model.to(number).save_pretrained(FOLDER / name)
        tokenizer.save_pretrained(FOLDER / name)


if __name__ == "__main__":
    main()
