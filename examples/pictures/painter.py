"""A picture pipeline that tells of each step through its callback."""

import torch
from diffusers import StableDiffusionPipeline

NUMBERS = {"fp32": torch.float32, "bf16": torch.bfloat16, "int8": torch.float32}


def load(variant):
    pipeline = StableDiffusionPipeline.from_pretrained(
        variant.weights[0], torch_dtype=NUMBERS[variant.precision], safety_checker=None
    )
    pipeline.set_progress_bar_config(disable=True)  # what is printed takes time, too
    if variant.precision == "int8":
        torch.ao.quantization.quantize_dynamic(pipeline.unet, {torch.nn.Linear}, dtype=torch.qint8, inplace=True)
    return pipeline


def run(pipeline, job, probe):
    steps = job.settings["steps"]

    def after_step(pipeline, step, timestep, kept):
        probe.step(of=steps)
        if step + 1 == steps:
            probe.phase("decode")
        return kept

    probe.phase("steps")
    picture = pipeline(
        job.prompt, num_inference_steps=steps, guidance_scale=job.settings["guidance"], width=job.settings["width"],
        height=job.settings["width"], generator=torch.Generator().manual_seed(job.seed),
        callback_on_step_end=after_step,
    ).images[0]  # fmt: skip
    probe.phase("save")
    picture.save(job.out / "label.png")
    probe.output("label.png")
