"""Whether a proxy shows its original, frame for frame: places, signatures, colours, sound, and the verdict."""
