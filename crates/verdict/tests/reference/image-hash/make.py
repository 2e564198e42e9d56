"""Makes hashes.json: `python3 make.py > hashes.json`, with ImageHash 4.3.2 and Pillow of PyPI.

Each case has the 32 x 32 levels of grey that ImageHash itself works on (its phash reduces a picture to these), so that
the transform and the choice of bits are compared and not how a picture is made smaller.
"""
import json

import imagehash
import numpy
from PIL import Image

SIDE = 32


def hashed(pixels):
    picture = Image.fromarray(pixels.astype("uint8"), "L")
    return {"grey": pixels.astype(int).tolist(), "hash": str(imagehash.phash(picture))}


rng = numpy.random.default_rng(20261126)
y, x = numpy.mgrid[0:SIDE, 0:SIDE]
cases = [
    hashed(x * 8),
    hashed(255 - y * 8),
    hashed((x // 4 + y // 4) % 2 * 255),
    hashed(((x - 16) ** 2 + (y - 16) ** 2 < 100) * 255),
    hashed(((x - 8) ** 2 + (y - 20) ** 2 < 60) * 200 + 30),
]
cases += [hashed(rng.integers(0, 256, (SIDE, SIDE))) for _ in range(15)]
print(json.dumps(cases))
