import { suggestionsFor, wordBefore } from './suggestions';

const names = (all: readonly string[], later: readonly string[] = []) =>
  all.map((name) => ({ name, detail: '', ...(later.includes(name) && { isLater: true }) }));
const found = (all: readonly string[], word: string, later: readonly string[] = []): string[] =>
  suggestionsFor(names(all, later), word).map((n) => n.name);

test('what begins with it comes first, then a piece that does, then what holds it; short ones before long ones', () => {
  expect(found(['cap.speed', 'overspeed', 'speedLimit', 'speed', 'torque'], 'speed')).toEqual([
    'speed',
    'speedLimit',
    'cap.speed',
    'overspeed',
  ]);
});

test('what stays as it is comes behind what changes, where both fit alike', () => {
  expect(found(['spindle.k', 'spindle.speed', 'spin'], 'spin', ['spindle.k'])).toEqual([
    'spin',
    'spindle.speed',
    'spindle.k',
  ]);
  // but before what fits less well
  expect(found(['a.spin', 'spindle.k'], 'spin', ['spindle.k'])).toEqual(['spindle.k', 'a.spin']);
});

test('the word before the caret, with its path', () => {
  expect(wordBefore('2*spindle.sp + 1', 12)).toEqual({ from: 2, word: 'spindle.sp' });
  expect(wordBefore('always(', 7)).toEqual({ from: 7, word: '' });
});
