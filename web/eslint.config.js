import { readdirSync, readFileSync } from 'node:fs';

import js from '@eslint/js';
import query from '@tanstack/eslint-plugin-query';
import a11y from 'eslint-plugin-jsx-a11y';
import hooks from 'eslint-plugin-react-hooks';
import ts from 'typescript-eslint';

/** What is longer than a component should be, as it was when the measure came: may shrink and lose entries, never gain one. */
const longer = JSON.parse(readFileSync(new URL('longer.json', import.meta.url), 'utf8'));
const atMost = (max) => ({ 'max-lines-per-function': ['error', { max, skipBlankLines: true, skipComments: true }] });

const features = readdirSync(new URL('src/features', import.meta.url));

export default ts.config(
  { ignores: ['dist', 'node_modules', 'src/api/schema.d.ts', '*.config.*', 'budget.ts', 'mutants.mjs'] },
  js.configs.recommended,
  ...ts.configs.strict, // the rules that ask for types are in .oxlintrc.json: a native reader of types takes a tenth of the time
  { ...hooks.configs.flat['recommended-latest'], files: ['src/**'], ignores: ['**/*.test.*'] },
  a11y.flatConfigs.recommended,
  ...query.configs['flat/recommended'],
  {
    rules: {
      '@tanstack/query/no-void-query-fn': 'off', // asks for types; all questions go through one function that is typed to answer
      // true also of a question whose older answer is on the screen: what somebody types there would be lost with it
      'no-restricted-syntax': ['error', { selector: "MemberExpression[property.name='isError']", message: 'Use isLoadingError.' }],
    },
  },
  { files: ['src/**'], ignores: ['src/**/*.test.*', 'src/testing/**'], rules: atMost(50) },
  ...Object.entries(longer).map(([file, lines]) => ({ files: [file], rules: atMost(lines) })),
  {
    files: ['src/ui/**'],
    rules: {
      'no-restricted-imports': ['error', { patterns: ['**/features/**', '**/app/**', '@tanstack/*', '**/api/client', '**/api/queries'] }],
    },
  },
  ...features.map((own) => ({
    files: [`src/features/${own}/**`],
    rules: {
      'no-restricted-imports': [
        'error',
        { patterns: ['**/app/**', ...features.filter((other) => other !== own).map((other) => `**/${other}/*`)] },
      ],
    },
  })),
);
