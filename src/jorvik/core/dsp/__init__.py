"""Compiled building blocks: waves, bends, one-poles, filters, random streams and wavetables."""
