/** Name of the files that evidence is written to, without their endings. */
export const fileNameOf = (project: string): string =>
  `${
    project
      .toLowerCase()
      .replace(/[^\p{L}\p{N}]+/gu, '-')
      .replace(/^-+|-+$/g, '') || 'project'
  }-evidence`;
