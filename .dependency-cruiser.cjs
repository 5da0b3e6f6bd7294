const only = (from, to, why) => ({
  name: `${from}-goes-down`,
  comment: why,
  severity: 'error',
  from: { path: `^src/${from}/`, pathNot: '\\.test\\.tsx?$' },
  to: { path: '^src/', pathNot: [`^src/${from}/`, ...to.map((place) => `^src/${place}/`)] },
})

/** core ← host ← session ← { engine, storage, cli, pages/api } ← ui ← pages; see ARCHITECTURE.md. */
module.exports = {
  forbidden: [
    only('core', [], 'core stands alone'),
    only('host', ['core'], 'host knows core only'),
    only('session', ['core', 'host'], 'what a session is knows neither page nor storage'),
    only('engine', ['core', 'host', 'session'], 'engine, storage and cli never import one another'),
    only('storage', ['core', 'host', 'session'], 'engine, storage and cli never import one another'),
    only('cli', ['core', 'host', 'session'], 'engine, storage and cli never import one another'),
    only('ui', ['core', 'host', 'session', 'engine', 'storage'], 'ui joins what lies below it'),
    {
      name: 'core-imports-packages-of-its-own-only',
      severity: 'error',
      from: { path: '^src/core/', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['npm', 'npm-dev', 'core'], pathNot: 'node_modules/fft\\.js' },
    },
    {
      name: 'audio-dsp-kernels-timeline-lie-lowest',
      severity: 'error',
      from: { path: '^src/core/(audio|dsp|kernels|timeline)/', pathNot: '\\.test\\.ts$' },
      to: { path: '^src/core/(analysis|knowledge|methods|render|measure|testing|demo)/' },
    },
    {
      name: 'methods-never-mark-their-own-work',
      severity: 'error',
      from: { path: '^src/core/(methods|analysis)/', pathNot: '\\.test\\.ts$' },
      to: { path: '^src/core/(knowledge|render|measure|testing)/' },
    },
    {
      name: 'knowledge-listens-and-renders-nothing',
      severity: 'error',
      from: { path: '^src/core/knowledge/', pathNot: '\\.test\\.ts$' },
      to: { path: '^src/core/(methods|render|measure|testing|demo)/' },
    },
    {
      name: 'testing-is-for-tests',
      severity: 'error',
      from: {
        path: '^src/',
        pathNot: [
          '\\.test\\.tsx?$',
          '^src/core/testing/',
          '^src/cli/(bench|gates|quality|againstIdeal|(?:advice|proven|agreement|joined|held)Table)\\.ts$',
          '^src/cli/fuzz/',
        ],
      },
      to: { path: '^src/core/testing/' },
    },
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'no-lost-files',
      severity: 'error',
      from: {
        orphan: true,
        pathNot: ['\\.d\\.ts$', '\\.worker\\.ts$', '\\.worklet\\.ts$', '^src/pages/', '\\.test\\.tsx?$'],
      },
      to: {},
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: {
      extensions: ['.ts', '.tsx', '.js', '.mjs', '.cjs', '.json'],
      exportsFields: ['exports'],
      conditionNames: ['import', 'types'],
    },
  },
}
