// Makes expected.json. Written with npm culori 4.0.2: node make.mjs > expected.json
import { wcagContrast, wcagLuminance, parse, lab65, differenceCiede2000, formatHex, rgb } from "culori";
let state = 7;
const next = () => ((state = (state * 1103515245 + 12345) % 2147483648) >> 16) & 255;
const hex = () => "#" + [next(), next(), next()].map((v) => v.toString(16).padStart(2, "0")).join("");
const pairs = [];
for (let i = 0; i < 60; i++) {
  const a = hex(), b = hex();
  const l = lab65(a);
  pairs.push({ a, b, contrast: wcagContrast(a, b), luminance: wcagLuminance(a), lab: [l.l, l.a, l.b] });
}
const texts = ["hsl(200 40% 30%)", "hsl(0 0% 50%)", "hsla(330, 80%, 60%, 0.5)", "rgb(10 20 30)", "rgb(10%, 20%, 30%)", "#abc", "hsl(-60 100% 50%)"].map((t) => ({ text: t, hex: formatHex(rgb(parse(t))) }));
console.log(JSON.stringify({ culori: "4.0.2", pairs, texts }, null, 1));
