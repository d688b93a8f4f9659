// Compare today's breaches of the layers with the list of those that are known: a new one fails, and so does one that
// is gone and still listed, so that the list only shrinks.
import { readFileSync } from 'node:fs';
import { cruise } from 'dependency-cruiser';
import extractTSConfig from 'dependency-cruiser/config-utl/extract-ts-config';
import config from './.dependency-cruiser.cjs';

const { output } = await cruise(
  ['src'],
  { ...config.options, ruleSet: { forbidden: config.forbidden }, validate: true },
  undefined,
  { tsConfig: extractTSConfig('tsconfig.json') }
);
const found = output.summary.violations.map(({ rule, from, to }) => `${rule.name}: ${from} imports ${to}`);
const known = JSON.parse(readFileSync('layers-known.json', 'utf8'));
const fresh = found.filter((breach) => !known.includes(breach));
const gone = known.filter((breach) => !found.includes(breach));
for (const breach of fresh) console.log(`New breach of the layers: ${breach}`);
for (const breach of gone) console.log(`No longer a breach; remove it from ui/layers-known.json: ${breach}`);
process.exitCode = fresh.length + gone.length > 0 ? 1 : 0;
