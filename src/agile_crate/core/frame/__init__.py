"""One frame's pixels: what is visible, colour key, scale, palette, outline, trim, pivot, shape."""
