import tseslint from 'typescript-eslint';
import regexp from 'eslint-plugin-regexp';
import vue from 'eslint-plugin-vue';
import prettier from 'eslint-config-prettier';

/**
 * The house rule: a floor imports only from floors below it (docs/ARCHITECTURE.md).
 * Each floor names here the floors it must not reach into.
 */
const forbid = (...floors) => ({
  'no-restricted-imports': [
    'error',
    {
      patterns: floors.map((floor) => ({
        regex: `^\\.{1,2}/(.*/)?${floor}/`,
        message: `This floor must not import from ${floor}/.`,
      })),
    },
  ],
});

/** The heart is pure: no I/O, no clock, no framework. */
const pureCore = {
  'no-restricted-imports': [
    'error',
    {
      patterns: [
        {
          regex: '^\\.{1,2}/(.*/)?(contract|server|web|outside|demo|bench|scripts|test)/',
          message: 'core/ stands on nothing.',
        },
        {
          regex: '^(node:|express|knex|vue|imapflow|nodemailer|pino)',
          message: 'core/ is pure: no I/O, no framework.',
        },
      ],
    },
  ],
  'no-restricted-globals': [
    'error',
    'fetch',
    'process',
    'window',
    'document',
    'setTimeout',
    'setInterval',
    'crypto',
    'performance',
  ],
  'no-restricted-properties': [
    'error',
    { object: 'Date', property: 'now', message: 'core/ has no clock.' },
    { object: 'Math', property: 'random', message: 'core/ leaves nothing to chance.' },
  ],
  'no-restricted-syntax': [
    'error',
    { selector: "NewExpression[callee.name='Date'][arguments.length=0]", message: 'core/ has no clock.' },
    { selector: "CallExpression[callee.name='Date']", message: 'core/ has no clock.' },
  ],
};

/**
 * No pattern may cost more than linear time in what a stranger controls. Where one sees only what the office
 * itself has written, the line says so.
 */
const linearPatterns = {
  'regexp/no-super-linear-backtracking': ['error', { report: 'potential' }],
  'regexp/no-super-linear-move': ['error', { report: 'potential' }],
};

export default tseslint.config(
  { ignores: ['node_modules/', 'dist/', '.data/', '.office/', '.tmp/'] },
  ...tseslint.configs.recommended,
  ...vue.configs['flat/recommended'],
  prettier,
  {
    files: ['**/*.vue'],
    languageOptions: { parserOptions: { parser: tseslint.parser } },
    rules: { 'vue/multi-word-component-names': 'off', 'vue/require-default-prop': 'off', 'no-undef': 'off' },
  },
  {
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      eqeqeq: 'error',
      'no-console': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
    },
  },
  { files: ['core/**/*.ts'], rules: pureCore },
  {
    files: ['core/**/*.ts', 'contract/**/*.ts', 'server/**/*.ts', 'outside/**/*.ts'],
    plugins: { regexp },
    rules: linearPatterns,
  },
  {
    files: ['contract/**/*.ts'],
    rules: forbid('server', 'web', 'outside', 'demo', 'bench', 'scripts', 'test'),
  },
  { files: ['server/**/*.ts'], rules: forbid('web', 'outside', 'demo', 'bench', 'scripts', 'test') },
  { files: ['web/**/*.{ts,vue}'], rules: forbid('server', 'outside', 'demo', 'bench', 'scripts', 'test') },
  // The outside world knows nothing of the office but how mail is read.
  {
    files: ['outside/**/*.ts'],
    rules: forbid('contract', 'server', 'web', 'demo', 'bench', 'scripts', 'test'),
  },
  { files: ['demo/**/*.ts'], rules: forbid('web', 'bench', 'scripts', 'test') },
  { files: ['bench/**/*.ts'], rules: forbid('web', 'test') },
  { files: ['scripts/**/*.ts'], rules: forbid('web', 'bench', 'test') },
  {
    files: ['scripts/**', 'bench/**', 'outside/main.ts', 'server/main.ts', '*.js', '*.ts'],
    rules: { 'no-console': 'off' },
  },
  { files: ['test/**/*.ts'], rules: { '@typescript-eslint/no-unused-expressions': 'off' } },
);
