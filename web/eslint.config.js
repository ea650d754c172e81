import vue from 'eslint-plugin-vue'
import ts from 'typescript-eslint'

/** From the ground up: no room imports from one above it. */
const ROOMS = [
  'api',
  'help',
  'sheet',
  'stores',
  'edits',
  'controls',
  'account',
  'stage',
  'workroom',
  'sitting',
  'pages',
]

export default ts.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  ...ts.configs.strictTypeChecked,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: {
      parserOptions: { parser: ts.parser, projectService: true, extraFileExtensions: ['.vue'] },
    },
  },
  ...ROOMS.slice(0, -1).map((room, i) => ({
    files: [`src/${room}/**`],
    rules: {
      'no-restricted-imports': [
        'error',
        {
          patterns: [
            {
              group: ROOMS.slice(i + 1).map((above) => `**/${above}/*`),
              message: 'A room imports only from the rooms below it: see docs/architecture.md.',
            },
          ],
        },
      ],
    },
  })),
  {
    files: ['src/**'],
    rules: {
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
      // A store is a plain object of functions: nothing is bound.
      '@typescript-eslint/unbound-method': 'off',
    },
  },
  {
    rules: {
      // Layout is prettier's.
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/multi-word-component-names': 'off',
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/no-dynamic-delete': 'off',
    },
  },
  {
    files: ['**/*.test.ts'],
    rules: Object.fromEntries(
      [
        'no-unsafe-argument',
        'no-unsafe-return',
        'no-unsafe-member-access',
        'no-unsafe-assignment',
        'no-unsafe-call',
        'require-await',
      ].map((rule) => [`@typescript-eslint/${rule}`, 'off']),
    ),
  },
  // Files that belong to no part of the pages are looked at without their types.
  { files: ['*.config.*'], ...ts.configs.disableTypeChecked },
)
