export { stop as default } from './shared';
