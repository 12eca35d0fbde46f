import { libraryTexts } from './library-texts';

/**
 * The library of parts, one text per package: usable by name in any physics text, and in files of equations. The texts
 * are the .mo files of this folder; each part says its equations and their source in its documentation.
 */
export const componentPackages: ReadonlyMap<string, string> = new Map(Object.entries(libraryTexts));
