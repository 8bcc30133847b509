import tseslint from 'typescript-eslint';

const outside = [
  'react',
  'react-*',
  'three',
  'dexie*',
  'express',
  'node:*',
  '@nagare/web*',
  '@nagare/server*',
  '@nagare/cli*',
  '@nagare/demo*',
];
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
];

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.scratch/**', 'web/public/**', 'test-results/**'] },
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-non-null-assertion': 'off',
      'no-restricted-globals': ['error'],
      eqeqeq: 'error',
      'prefer-const': 'error',
    },
  },
  only('math', ['math']),
  only('crystal', ['math']),
  only('scattering', ['math', 'crystal']),
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
  only('tasks', [...science, 'tasks']),
  {
    files: ['web/src/**/*.{ts,tsx}'],
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
