import jsxA11y from 'eslint-plugin-jsx-a11y';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

const outside = [
  'react',
  'react-*',
  'three',
  'dexie*',
  'zustand*',
  'express',
  'node:*',
  '@nagare/web*',
  '@nagare/server*',
  '@nagare/cli*',
  '@nagare/demo*',
];
/** Names of the page or of Node that core must not know. */
const pageAndNode = [
  'window',
  'document',
  'navigator',
  'location',
  'localStorage',
  'sessionStorage',
  'indexedDB',
  'fetch',
  'alert',
  'confirm',
  'prompt',
  'requestAnimationFrame',
  'self',
  'postMessage',
  'Worker',
  'process',
  'Buffer',
  'require',
  '__dirname',
].map((name) => ({ name, message: 'core runs in a page, a worker and Node: it may not reach for this.' }));
/** Names that the DOM puts into every scope and that are nearly always a forgotten variable. */
const forgotten = [
  'name',
  'status',
  'event',
  'length',
  'top',
  'parent',
  'origin',
  'close',
  'open',
  'find',
  'stop',
  'print',
  'external',
  'screen',
  'scroll',
  'history',
  'toolbar',
  'isNaN',
  'isFinite',
].map((name) => ({ name, message: 'This is a global of the page; declare what you mean (or write Number.isNaN …).' }));

/** Folders of core from the ground up; a folder may import only what `allowed` names. */
const only = (folder, allowed, depth = 1) => ({
  files: [depth > 1 ? `core/src/${folder}/*/*.ts` : `core/src/${folder}/${folder === 'vet' ? '' : '**/'}*.ts`],
  ignores: ['**/*.test.ts'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: [
          { group: outside, message: 'core knows neither the page nor Node.' },
          {
            regex: `^(?:\\.\\./){${depth}}(?!\\.\\./|(${allowed.join('|')})/|task-context\\.ts$)`,
            message: `core/${folder} may import only ${allowed.join(', ') || 'itself'}.`,
          },
        ],
      },
    ],
  },
});
const science = [
  'math',
  'crystal',
  'formats',
  'scattering',
  'data',
  'solve',
  'maps',
  'refine',
  'geometry',
  'publish',
  'draw',
  'model',
  'settle',
  'symmetry',
  'vet',
  'powder',
  'shelf',
  'build',
  'contacts',
  'depict',
  'space',
];

export default tseslint.config(
  {
    ignores: ['**/dist/**', '**/node_modules/**', '.scratch/**', 'web/public/**', 'test-results/**', 'core/kernels/**'],
  },
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-non-null-assertion': 'off',
      'no-restricted-globals': ['error', ...forgotten],
      eqeqeq: 'error',
      'prefer-const': 'error',
    },
  },
  {
    files: ['core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: { 'no-restricted-globals': ['error', ...forgotten, ...pageAndNode] },
  },
  {
    files: ['web/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': reactHooks, 'jsx-a11y': jsxA11y },
    rules: {
      ...reactHooks.configs.recommended.rules,
      'react-hooks/exhaustive-deps': 'error',
      // Following what comes from outside (a store, a worker, another tab) is what our effects are for.
      'react-hooks/set-state-in-effect': 'off',
      // Says only that the compiler leaves a component alone; there is no compiler here.
      'react-hooks/incompatible-library': 'off',
      ...jsxA11y.flatConfigs.recommended.rules,
      // The first field of a dialog that was just asked for takes the focus.
      'jsx-a11y/no-autofocus': 'off',
      // A drawing with keys of its own, and a page that scrolls, take the focus.
      'jsx-a11y/no-noninteractive-tabindex': ['error', { tags: [], roles: ['tabpanel', 'application', 'region'] }],
      // Keys reach a drawing or a dialog at its frame.
      'jsx-a11y/no-noninteractive-element-interactions': [
        'error',
        { handlers: ['onClick', 'onMouseDown', 'onMouseUp', 'onKeyPress', 'onKeyUp'] },
      ],
    },
  },
  only('math', ['math']),
  only('crystal', ['math']),
  only('scattering', ['math', 'crystal']),
  only('quantum', ['math', 'crystal']),
  only('aspherical', ['math', 'crystal', 'scattering', 'geometry', 'contacts', 'quantum', 'refine', 'model', 'settle']),
  only('formats', ['math', 'crystal', 'scattering']),
  only('data', ['math', 'crystal', 'scattering']),
  only('geometry', ['math', 'crystal', 'refine']),
  only('model', ['math', 'crystal', 'geometry', 'maps', 'refine', 'data']),
  only('settle', ['math', 'crystal', 'geometry', 'maps', 'refine', 'data', 'model']),
  ...['solve', 'maps', 'refine', 'publish', 'draw'].map((f) =>
    only(
      f,
      science.filter((x) => x !== 'settle' && x !== 'vet'),
    ),
  ),
  only('symmetry', ['math', 'crystal', 'geometry', 'data', 'scattering', 'refine']),
  only('contacts', ['math', 'crystal', 'geometry', 'refine', 'scattering', 'maps', 'space']),
  only('depict', ['math', 'crystal', 'geometry', 'refine', 'draw', 'contacts', 'maps', 'symmetry', 'model', 'space']),
  only('space', ['math', 'crystal', 'geometry']),
  only('build', ['math', 'crystal', 'formats', 'geometry', 'publish', 'draw', 'symmetry', 'model']),
  only('powder', ['math', 'crystal', 'scattering', 'refine', 'shelf', 'geometry']),
  only('shelf', ['math', 'crystal']),
  only('vet', [
    'math',
    'crystal',
    'geometry',
    'data',
    'scattering',
    'refine',
    'maps',
    'model',
    'symmetry',
    'formats',
    'publish',
  ]),
  only(
    'vet',
    [
      'math',
      'crystal',
      'geometry',
      'data',
      'scattering',
      'refine',
      'maps',
      'model',
      'symmetry',
      'formats',
      'publish',
      'vet',
    ],
    2,
  ),
  only('tasks', [...science, 'quantum', 'aspherical', 'tasks']),
  {
    files: ['web/src/**/*.{ts,tsx}'],
    ignores: ['**/*.test.ts', 'web/src/testing/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              group: ['node:*', '@nagare/server*', '@nagare/cli*', '@nagare/demo*', 'express'],
              message: 'The page reaches the science through core only.',
            },
          ],
        },
      ],
    },
  },
);
