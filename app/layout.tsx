import type { Metadata } from 'next';
import type { ReactNode } from 'react';
import '@fontsource-variable/instrument-sans/index.css';
import '@fontsource-variable/jetbrains-mono/index.css';
import '@xyflow/react/dist/base.css';
import '@/ui/theme.scss';
import '@/ui/needs.scss';
import '@/views/behaviour/behaviour.scss';
import '@/ui/inside/inside.scss';
import '@/views/control/control.scss';
import '@/ui/print.scss';

export const metadata: Metadata = {
  title: 'Zelvar',
  description: 'Executable behaviour, physical models and requirements of one product',
};

/** The theme is chosen before the first paint, so that a dark screen does not flash. */
const chooseTheme = `try{var t=localStorage.getItem('zelvar-theme')||(matchMedia('(prefers-color-scheme: dark)').matches?'dark':'light');document.documentElement.setAttribute('data-bs-theme',t)}catch(e){}`;

export default function RootLayout({ children }: { readonly children: ReactNode }) {
  return (
    <html lang="en" suppressHydrationWarning>
      <head>
        <script dangerouslySetInnerHTML={{ __html: chooseTheme }} />
      </head>
      <body>{children}</body>
    </html>
  );
}
