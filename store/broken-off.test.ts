import { nothingBuilt } from '@/core/boards/built-steps';
import { tubeCapper } from '@/samples/tube-capper';
import { checkNow, runAll } from './checking';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { answerOf } from './replicas';
import { useRuns } from './run-store';
import { startRun } from './running';

jest.mock('./replicas', () => ({ answerOf: jest.fn(), restart: jest.fn(), checker: () => ({}), runner: () => ({}) }));
const answer = answerOf as jest.Mock;

beforeEach(() => {
  useProject.getState().open(tubeCapper);
  usePlace.getState().silence();
});

test('a check that breaks off is not a project without problems', async () => {
  answer.mockRejectedValueOnce(new RangeError('out of something'));
  await checkNow();
  expect(useProject.getState()).toMatchObject({
    checking: false,
    problems: [{ severity: 'error', code: 'check-failed', message: expect.stringContaining('out of something') }],
  });
});

test('a start that breaks off, or is ended, says so, and the next run can be started', async () => {
  answer.mockRejectedValueOnce(new RangeError('out of something'));
  await startRun();
  expect(useRuns.getState().starting).toBe(false);
  expect(usePlace.getState().notice?.text).toBe('Careful could not start: out of something');
  answer.mockResolvedValueOnce(undefined);
  await startRun();
  expect(useRuns.getState().starting).toBe(false);
  expect(usePlace.getState().notice?.text).toMatch(/ended before it began/);
});

test('several setups whose worker is ended come to an end', async () => {
  answer.mockResolvedValueOnce(undefined);
  expect(await runAll(['u-careful'], nothingBuilt, () => undefined)).toBeUndefined();
});
