"""Makes expected.json. Written with scipy 1.17.1, numpy 2.4.6: python3 make.py > expected.json

The interval's bounds are order statistics of the Walsh averages; which ones follows from the exact
null distribution, which scipy.stats.wilcoxon(method="exact") gives as p-values: the bounds are the
outermost values m for which the two-sided test of "shift = m" is not rejected at 5 %.
"""
import json
import numpy as np
from scipy import stats

rng = np.random.default_rng(20261125)
cases = []
for n in (6, 8, 10, 12, 15, 20, 25, 30):
    x = np.round(rng.normal(12, 30, n) + rng.standard_t(3, n) * 5, 3)
    walsh = np.sort([(x[i] + x[j]) / 2 for i in range(n) for j in range(i, n)])
    # A value just inside a Walsh average is kept when the exact test does not reject it.
    eps = 1e-7
    kept = [w for w in walsh if stats.wilcoxon(x - (w + eps), method="exact").pvalue > 0.05 or stats.wilcoxon(x - (w - eps), method="exact").pvalue > 0.05]
    r = stats.wilcoxon(x, method="exact", alternative="greater")
    cases.append({"x": x.tolist(), "hodges_lehmann": float(np.median(walsh)), "low": float(min(kept)), "high": float(max(kept)), "t_plus": float(r.statistic), "p_greater": float(r.pvalue)})
print(json.dumps({"scipy": __import__("scipy").__version__, "numpy": np.__version__, "cases": cases}, indent=1))
