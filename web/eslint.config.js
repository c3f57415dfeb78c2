import prettier from 'eslint-config-prettier';
import vue from 'eslint-plugin-vue';
import tseslint from 'typescript-eslint';

// The rooms of the page, each over those before it: what lies in one imports nothing of those after it. Tests may.
const ROOMS = ['api', 'stores', 'lib', 'stage', 'parts/widgets', 'parts', 'pages'];
const order = ROOMS.slice(0, -1).map((room, at) => ({
  files: [`src/${room}/**/*.{ts,vue}`],
  ignores: ['**/*.test.ts', ...(room === 'parts' ? ['src/parts/widgets/**'] : [])],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: ROOMS.slice(at + 1).map((later) => ({
          regex: later === 'parts' && room === 'parts/widgets' ? '^@/parts/(?!widgets/)' : `^@/${later}/`,
          message: `${later} lies over ${room}.`,
        })),
      },
    ],
  },
}));

export default tseslint.config(
  { ignores: ['dist/**', 'src/api/*.generated.ts'] },
  ...tseslint.configs.strict,
  ...vue.configs['flat/recommended'],
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: tseslint.parser } } },
  { rules: { 'vue/multi-word-component-names': 'off' } },
  ...order,
  prettier,
);
