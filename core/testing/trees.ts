import type { TreeNode, TreeSource, TreeValue } from '../verdicts/source';

/** For tests: formulas as the monitors of trees take them, over signals that are columns of rows. */

export const tree = (body: TreeNode, mode: TreeSource['mode'] = 'always'): TreeSource => ({
  kind: 'tree',
  mode,
  body,
  unit: 'V',
  marginScale: 1,
});

export const signal = (variable: number): TreeValue => ({ op: 'signal', variable, scale: 1, offset: 0 });

export const limit = (left: TreeValue, relation: '<=' | '>=', value: number): TreeNode => ({
  op: 'compare',
  relation,
  left,
  right: { op: 'number', value },
  counts: false,
});
