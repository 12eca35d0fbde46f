'use client';
import dynamic from 'next/dynamic';

/** The drawing in space is only fetched by those who look at it. */
export const MotionSheet = dynamic(() => import('./motion-sheet').then((m) => m.MotionSheet), { ssr: false });
