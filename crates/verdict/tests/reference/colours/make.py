"""PyPI scikit-learn (KMeans) over pixels of four noisy colours in CIELAB, computed here from the definition.
Columns of pixels.tsv: red, green, blue, count. Of palette.tsv: L, a, b of the centre, share. Run: python3 make.py"""
import numpy as np
from sklearn.cluster import KMeans

rng = np.random.default_rng(20261126)
base = [((31, 95, 122), 500), ((227, 194, 122), 300), ((255, 255, 255), 900), ((140, 47, 57), 120)]
pixels = {}
for colour, n in base:
    for _ in range(n):
        p = tuple(int(v) for v in np.clip(np.array(colour) + rng.integers(-4, 5, 3), 0, 255))
        pixels[p] = pixels.get(p, 0) + 1
rgb = np.array(list(pixels))
weight = np.array(list(pixels.values()))
c = rgb / 255
lin = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
m = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]])
xyz = lin @ m.T / m.sum(axis=1)
f = np.where(xyz > 216 / 24389, np.cbrt(xyz), (24389 / 27 * xyz + 16) / 116)
lab = np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], axis=1)
found = KMeans(4, n_init=10, random_state=1).fit(lab, sample_weight=weight)
with open("pixels.tsv", "w") as out:
    for p, w in zip(rgb, weight):
        out.write("\t".join(map(str, [*p, w])) + "\n")
with open("palette.tsv", "w") as out:
    for i, centre in enumerate(found.cluster_centers_):
        share = weight[found.labels_ == i].sum() / weight.sum()
        out.write("\t".join(f"{v:.4f}" for v in [*centre, share]) + "\n")
