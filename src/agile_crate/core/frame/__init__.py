"""One frame's pixels: visible art, color key, scale, palette, outline, trim, pivot, shape."""
