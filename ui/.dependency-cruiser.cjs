// Which folder may import which: the shell stands above the views, no view imports another, and what they share lies
// below them. layers-known.json lists the breaches that are left; it may only shrink.
const VIEWS = 'bank|compare|library|live|logbook|machine|map|match|paper|phrase|practice|range|sheet|sound';
const SHARED = 'session|state|common|draw|api';

module.exports = {
  forbidden: [
    {
      name: 'circle',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } }
    },
    { name: 'upward', severity: 'error', from: { path: `^src/(${SHARED})/` }, to: { path: `^src/(${VIEWS}|shell)/` } },
    { name: 'session', severity: 'error', from: { path: '^src/session/' }, to: { pathNot: '^src/(session|api)/' } },
    { name: 'view to shell', severity: 'error', from: { path: `^src/(${VIEWS})/` }, to: { path: '^src/shell/' } },
    {
      name: 'view to view',
      severity: 'error',
      from: { path: `^src/(${VIEWS})/` },
      to: { path: `^src/(${VIEWS})/`, pathNot: '^src/$1/' }
    }
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '\\.test\\.ts$|\\.gen\\.ts$' },
    includeOnly: '^src',
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true
  }
};
