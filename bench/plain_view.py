"""The plain counterparts of views: a sheet decoded and saved again, a sheet read, a film decoded and encoded again."""

import sys
from pathlib import Path

from PIL import Image

what, source, target = sys.argv[1], Path(sys.argv[2]), Path(sys.argv[3])
image = Image.open(source)
if what == "film":
    frames, times = [], []
    for index in range(image.n_frames):
        image.seek(index)
        image.load()
        frames.append(image.convert("RGBA"))
        times.append(image.info["duration"])
    form = {".gif": "GIF", ".webp": "WEBP", ".apng": "PNG"}[target.suffix]
    options = {"lossless": True} if form == "WEBP" else {}
    frames[0].save(target, form, save_all=True, append_images=frames[1:], duration=times, **options)
else:
    picture = image.convert("RGBA")
    if what == "resave":
        picture.save(target)
