"""Unvek: run model variants under equal conditions, see which trade of speed, memory and quality is worth making."""

__version__ = "0.1.0"
