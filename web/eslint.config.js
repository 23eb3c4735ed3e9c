import svelte from 'eslint-plugin-svelte'
import globals from 'globals'
import ts from 'typescript-eslint'
import svelteConfig from './svelte.config.js'

export default ts.config(
  { ignores: ['dist/', '.svelte-check/', 'node_modules/', 'src/lib/schema.d.ts'] },
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  { languageOptions: { globals: { ...globals.browser, ...globals.node } } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, svelteConfig } },
    rules: { 'svelte/no-navigation-without-resolve': 'off' },
  },
  {
    // What two places share is in lib/; a place imports no other place.
    files: ['src/places/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              regex: '^(\\.\\./)+(account|bench|books|breadth|data|desk|outbox|precedents|rules|symbol)/',
              message: 'A place imports no other place; move what they share to $lib.',
            },
          ],
        },
      ],
    },
  },
)
