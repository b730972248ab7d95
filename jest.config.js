module.exports = {
  roots: ['test', 'conformance', 'engines', 'runtimes'].map((folder) => `<rootDir>/${folder}`),
  testMatch: ['**/*.test.ts'],
  // Interpreters that the tests run, and not code of ours.
  modulePathIgnorePatterns: ['<rootDir>/test/(nodes|wasm)/'],
  transform: { '^.+\\.ts$': ['@swc/jest', { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' } }] },
  moduleNameMapper: { '^(\\.{1,2}/.*)\\.js$': '$1' },
  // A machine that others share may stand still for many seconds; what is awaited is awaited for longer than that.
  testTimeout: process.env.CI ? 300_000 : 120_000,
  setupFilesAfterEnv: ['<rootDir>/test/support/setup.ts'],
  // Most tests start interpreters of their own and wait for them half of the time.
  maxWorkers: 2,
};
