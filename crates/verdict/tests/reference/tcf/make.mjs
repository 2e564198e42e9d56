// npm @iabtcf/core 1.5.x: consent strings of version 2 made by its encoder from a fixed seed, each with what its own
// decoder reads. The vendor list is made up. Run: node make.mjs > strings.json
import { GVL, TCModel, TCString } from "@iabtcf/core";
const many = (n, make) => Object.fromEntries(Array.from({ length: n }, (_, i) => [i + 1, make(i + 1)]));
const vendor = (id) => ({
  id, name: "Vendor " + id, purposes: [1, 2, 3, 4, 5, 6, 7, 8, 9, 10], legIntPurposes: [], flexiblePurposes: [],
  specialPurposes: [], features: [], specialFeatures: [1, 2], policyUrl: "", cookieMaxAgeSeconds: 1, usesCookies: true,
  cookieRefresh: false, usesNonCookieAccess: false, urls: [], dataRetention: {},
});
const legit = (id) => ({ ...vendor(id), purposes: [1], legIntPurposes: [2, 7, 8, 9, 10] });
const list = {
  gvlSpecificationVersion: 3, vendorListVersion: 77, tcfPolicyVersion: 4, lastUpdated: "2026-01-01T00:00:00Z",
  purposes: many(11, (id) => ({ id, name: "", description: "", illustrations: [] })), specialPurposes: {}, features: {},
  specialFeatures: many(2, (id) => ({ id, name: "", description: "", illustrations: [] })), stacks: {}, dataCategories: {},
  vendors: many(420, (id) => (id % 2 ? vendor(id) : legit(id))),
};
let seed = 20261126;
const next = (n) => (seed = (seed * 1103515245 + 12345) % 2147483648) % n;
const out = [];
for (let i = 0; i < 40; i++) {
  const m = new TCModel(new GVL(list));
  m.cmpId = 10 + i;
  m.cmpVersion = 3;
  m.consentLanguage = ["EN", "DE", "FR", "SV"][i % 4];
  m.publisherCountryCode = ["GB", "AT", "BE", "NO"][i % 4];
  m.isServiceSpecific = i % 2 === 0;
  if (i === 0) m.setAll();
  else if (i > 1) {
    for (let p = 1; p <= 10; p++) if (next(2)) m.purposeConsents.set(p);
    for (let p = 2; p <= 10; p++) if (next(3) === 0) m.purposeLegitimateInterests.set(p);
    for (let v = 1; v <= 420; v++) {
      if (i % 3 === 0 ? v > 50 && v < 300 : next(7) === 0) m.vendorConsents.set(v);
      if (next(11) === 0) m.vendorLegitimateInterests.set(v);
    }
    if (i % 5 === 0) m.specialFeatureOptins.set(1);
  }
  const text = TCString.encode(m);
  const d = TCString.decode(text);
  const set = (v) => { const all = []; v.forEach((on, id) => on && all.push(id)); return all; };
  out.push({
    text, cmp: d.cmpId, language: d.consentLanguage, country: d.publisherCountryCode, list: d.vendorListVersion, policy: d.policyVersion,
    purposes: set(d.purposeConsents), interests: set(d.purposeLegitimateInterests), features: set(d.specialFeatureOptins),
    vendors: set(d.vendorConsents), vendorInterests: set(d.vendorLegitimateInterests), disclosed: set(d.vendorsDisclosed),
  });
}
console.log(JSON.stringify(out));
