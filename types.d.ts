declare module '*.css';
declare module '*.scss';
declare module 'elkjs/lib/elk.bundled.js';
