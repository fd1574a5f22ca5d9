import vue from 'eslint-plugin-vue'
import tseslint from 'typescript-eslint'

export default [
  { ignores: ['src/generated/**'] },
  ...tseslint.configs.recommended,
  ...vue.configs['flat/essential'],
  {
    files: ['src/**/*.vue'],
    languageOptions: { parserOptions: { parser: tseslint.parser } },
  },
  { rules: { 'vue/multi-word-component-names': 'off' } },
  // Arrows point inward: app → features → parts → shared → generated; no page knows another.
  ...[
    ['shared', ['@/app/**', '@/features/**', '@/parts/**']],
    ['parts', ['@/app/**', '@/features/**']],
    ['features', ['@/app/**', '@/features/**', '../**']],
  ].map(([room, others]) => ({
    files: [`src/${room}/**/*.{ts,vue}`],
    rules: { 'no-restricted-imports': ['error', { patterns: others }] },
  })),
]
