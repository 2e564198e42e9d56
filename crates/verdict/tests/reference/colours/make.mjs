// npm culori 4.0.2: 120 colours from a fixed seed; columns: colour, lightness, chroma and hue in oklch, the
// colour as eyes without long, middle and short waves' cones see it. culori's filters are given linear values,
// since the paper's matrices are over linear sRGB. Run: node make.mjs > shades.tsv
import { converter, filterDeficiencyProt, filterDeficiencyDeuter, filterDeficiencyTrit, formatHex } from "culori";
const oklch = converter("oklch"),
  lrgb = converter("lrgb"),
  rgb = converter("rgb");
let seed = 20261126;
const next = () => (seed = (seed * 1103515245 + 12345) % 2147483648) / 2147483648;
const out = [];
for (let i = 0; i < 120; i++) {
  const c = { mode: "rgb", r: Math.floor(next() * 256) / 255, g: Math.floor(next() * 256) / 255, b: Math.floor(next() * 256) / 255 };
  const o = oklch(c);
  const l = lrgb(c);
  const seen = (f) => {
    const s = f(1)({ mode: "rgb", r: l.r, g: l.g, b: l.b });
    return formatHex(rgb({ mode: "lrgb", r: s.r, g: s.g, b: s.b }));
  };
  out.push([formatHex(c), o.l.toFixed(6), o.c.toFixed(6), (o.h ?? 0).toFixed(4), seen(filterDeficiencyProt), seen(filterDeficiencyDeuter), seen(filterDeficiencyTrit)].join("\t"));
}
console.log(out.join("\n"));
