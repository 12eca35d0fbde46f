import { tubeCapper } from '@/samples/tube-capper';
import { shownTracks } from './shown-tracks';

/** Which tracks the ribbon shows. */

const setupOf = (id: string) => tubeCapper.setups.find((s) => s.id === id)!;
const shown = (id: string, ran?: string): string[] =>
  shownTracks(tubeCapper, setupOf(id), ran).map((t) => t.items.join());

test('what only tells of parts of something else is left out', () => {
  const product = shown('u-careful');
  expect(product).toContain('ctrl.mode');
  expect(product).not.toContain('watch.worn');
  const bench = shown('u-worn-bearing');
  expect(bench).toEqual(expect.arrayContaining(['spindle.speed,ctrl.wanted', 'watch.friction', 'watch.worn']));
  expect(bench).not.toContain('ctrl.mode');
});

test('the run at hand decides, whatever setup is chosen for the next one', () => {
  expect(shown('u-worn-bearing', 'Capper')).toEqual(shown('u-careful'));
  expect(shown('u-careful', 'SpindleOnTest')).toEqual(shown('u-worn-bearing'));
});

test('tracks that a setup chose, and names without a part, stay', () => {
  const [track] = tubeCapper.tracks;
  const project = { ...tubeCapper, tracks: [track, { ...track, id: 'k-own', items: ['bearing.w'] }] };
  // something inside the physics of what ran is no part of the product
  expect(shownTracks(project, { tracks: ['k-own'], root: '' }, 'SpindleDrive').map((t) => t.id)).toEqual(['k-own']);
});

test('a part that stands alone is shown by the tracks that speak of such a part, or by what it puts out', () => {
  const shown = (name: string, type: string): readonly string[] =>
    shownTracks(tubeCapper, undefined, `${type}Alone`, { name, type }).map((t) => t.items.join());
  expect(shown('capperControl', 'CapperControl')).toEqual(['capperControl.wanted', 'capperControl.mode']);
  expect(shown('guardSwitch', 'GuardSwitch')).toEqual(['guardSwitch.door']);
  expect(shown('capper', 'Capper')[0]).toBe('capper.spindle.speed,capper.ctrl.wanted');
});
