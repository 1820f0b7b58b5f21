"""Make a tiny picture pipeline with random weights, in full precision and in bf16: a folder each, under models/."""

import json
from pathlib import Path
from tempfile import TemporaryDirectory

import torch
from diffusers import AutoencoderKL, DDIMScheduler, StableDiffusionPipeline, UNet2DConditionModel
from transformers import CLIPTextConfig, CLIPTextModel, CLIPTokenizer

FOLDER = Path(__file__).parent / "models"
LETTERS = "abcdefghijklmnopqrstuvwxyz0123456789,.'-"


def make_tokenizer() -> CLIPTokenizer:
    """Letters are tokens: nothing has to be learned."""
    tokens = ["<|startoftext|>", "<|endoftext|>", *LETTERS, *(f"{letter}</w>" for letter in LETTERS)]
    with TemporaryDirectory() as folder:
        vocabulary, merges = Path(folder, "vocab.json"), Path(folder, "merges.txt")
        vocabulary.write_text(json.dumps({token: place for place, token in enumerate(tokens)}))
        merges.write_text("#version: 0.2\n")
        return CLIPTokenizer(str(vocabulary), str(merges), model_max_length=77)


def main() -> None:
    torch.manual_seed(7)
    tokenizer = make_tokenizer()
    text = CLIPTextConfig(
        vocab_size=len(tokenizer), hidden_size=64, intermediate_size=128, num_hidden_layers=2, num_attention_heads=4,
        projection_dim=64, bos_token_id=0, eos_token_id=1, pad_token_id=1,
    )  # fmt: skip
    painter = UNet2DConditionModel(
        sample_size=16, in_channels=4, out_channels=4, layers_per_block=1, block_out_channels=(64, 128),
        down_block_types=("DownBlock2D", "CrossAttnDownBlock2D"), up_block_types=("CrossAttnUpBlock2D", "UpBlock2D"),
        cross_attention_dim=64, attention_head_dim=8, norm_num_groups=16,
    )  # fmt: skip
    decoder = AutoencoderKL(
        block_out_channels=(32, 64), in_channels=3, out_channels=3, latent_channels=4, norm_num_groups=16,
        down_block_types=("DownEncoderBlock2D",) * 2, up_block_types=("UpDecoderBlock2D",) * 2,
    )  # fmt: skip
    pipeline = StableDiffusionPipeline(
        vae=decoder, text_encoder=CLIPTextModel(text), tokenizer=tokenizer, unet=painter, scheduler=DDIMScheduler(),
        safety_checker=None, feature_extractor=None, requires_safety_checker=False,
    )  # fmt: skip
    for name, number in (("full", torch.float32), ("bf16", torch.bfloat16)):
        pipeline.to(dtype=number).save_pretrained(FOLDER / name)


if __name__ == "__main__":
    main()
