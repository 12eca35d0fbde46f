import type { NextConfig } from 'next';

const config: NextConfig = {
  reactStrictMode: true,
  devIndicators: false,
  // `npm test` looks at the types of everything itself
  typescript: { ignoreBuildErrors: process.env.ZELVAR_TYPES_CHECKED === '1' },
  sassOptions: { quietDeps: true, silenceDeprecations: ['import', 'global-builtin', 'color-functions', 'if-function'] },
};
export default config;
