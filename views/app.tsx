'use client';
import dynamic from 'next/dynamic';

/** Everything happens in the browser: storage, workers, drawing. */
export const App = dynamic(() => import('./workbench/shell').then((m) => m.Shell), { ssr: false });
