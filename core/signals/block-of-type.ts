import type { PartType, Quantity } from '../project/document';
import type { SignalBlock } from './catalogue';

/** A part type as a block: its inputs and parameters in their order, and its one output. */
export const blockOfType = (type: PartType, output: Quantity): SignalBlock => ({
  name: type.name,
  isFunction: false,
  description: type.note,
  info: '',
  takes: type.quantities
    .filter((q) => q.role === 'input' || q.role === 'parameter')
    .map((q) => ({
      name: q.name,
      isParameter: q.role === 'parameter',
      type: q.type,
      hasDefault: q.role === 'parameter',
      defaultText: q.role === 'parameter' ? q.value : '',
      note: q.note,
    })),
  gives: output.name,
  outputs: type.quantities
    .filter((q) => q.role === 'output')
    .map((q) => ({ name: q.name, type: q.type, unit: q.unit, note: q.note })),
  givesType: output.type,
  unit: output.unit,
});
