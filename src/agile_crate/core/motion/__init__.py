"""Frames in time: their selection, their durations, and how an animation plays."""
