import { readdirSync } from 'node:fs';

import js from '@eslint/js';
import query from '@tanstack/eslint-plugin-query';
import a11y from 'eslint-plugin-jsx-a11y';
import hooks from 'eslint-plugin-react-hooks';
import ts from 'typescript-eslint';

const features = readdirSync(new URL('src/features', import.meta.url));

export default ts.config(
  { ignores: ['dist', 'node_modules', 'src/api/schema.d.ts', '*.config.*', 'budget.ts'] },
  js.configs.recommended,
  ...ts.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
  hooks.configs.flat['recommended-latest'],
  a11y.flatConfigs.recommended,
  ...query.configs['flat/recommended'],
  {
    rules: {
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
    },
  },
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
