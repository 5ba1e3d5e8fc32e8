import js from '@eslint/js'
import vue from 'eslint-plugin-vue'
import globals from 'globals'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['target/**', 'node_modules/**', 'src/api/described.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...vue.configs['flat/essential'],
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser } } },
  {
    languageOptions: { globals: globals.browser },
    // The form is made from a schema that is not known when this is compiled.
    rules: { '@typescript-eslint/no-explicit-any': 'off', 'vue/multi-word-component-names': 'off' },
  },
)
