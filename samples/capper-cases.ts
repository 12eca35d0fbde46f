import type { TestCase } from '../core/project/project';

/** How the capper is tried. */
export const capperCases: readonly TestCase[] = [];
