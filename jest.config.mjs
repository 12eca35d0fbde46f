const transform = {
  '^.+\\.(t|j|mj)sx?$': [
    '@swc/jest',
    {
      jsc: {
        target: 'es2022',
        parser: { syntax: 'typescript', tsx: true },
        transform: { react: { runtime: 'automatic' } },
      },
    },
  ],
};
const shared = {
  transform,
  setupFiles: ['<rootDir>/scripts/random-seed.ts'],
  transformIgnorePatterns: [
    '/node_modules/(?!(nanoid|react-dnd|dnd-core|@react-dnd|yup|@noble/hashes|d3-contour|d3-array|internmap)/)',
  ],
  moduleNameMapper: { '^@/(.*)$': '<rootDir>/$1', '\\.(css|scss)$': '<rootDir>/ui/no-styles.cjs' },
  extensionsToTreatAsEsm: [],
};

const config = {
  // a busy machine may take long over what is quick elsewhere
  testTimeout: 300_000,
  projects: [
    {
      ...shared,
      displayName: 'core',
      // looked up in the sandbox of a test, each takes some hundred times as long as in a module
      sandboxInjectedGlobals: [
        'Math',
        'Infinity',
        'Number',
        'Object',
        'Array',
        'Map',
        'Set',
        'WeakMap',
        'String',
        'Float64Array',
        'Int32Array',
      ],
      testEnvironment: 'node',
      testMatch: ['<rootDir>/{core,cli,samples,server}/**/*.test.ts'],
    },
    {
      ...shared,
      displayName: 'interface',
      testEnvironment: 'jsdom',
      setupFiles: [...shared.setupFiles, '<rootDir>/ui/jsdom-setup.ts'],
      testMatch: ['<rootDir>/{store,ui,views}/**/*.test.{ts,tsx}'],
    },
    {
      ...shared,
      displayName: 'browser',
      testEnvironment: 'node',
      testMatch: ['<rootDir>/e2e/**/*.test.ts'],
      globalSetup: '<rootDir>/e2e/shared.ts',
      globalTeardown: '<rootDir>/e2e/shared-stop.ts',
    },
  ],
};

export default config;
