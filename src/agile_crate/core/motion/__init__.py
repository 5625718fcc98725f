"""Frames in time: which are taken, for how long each is shown, and how an animation plays."""
