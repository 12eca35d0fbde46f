import { XMLBuilder } from 'fast-xml-parser';
import type { StageText } from '../stepcode/stage';
import { stageCalled } from './choose';
import type { CaseOutcome } from './run-case';

/** What came of a case in a stage. */
export interface TriedCase {
  readonly name: string;
  readonly tags: readonly string[];
  readonly stage: StageText | undefined;
  readonly outcome: CaseOutcome;
}

/**
 * As programs that gather results of tests read them: a suite per stage, what could not run as an error, what failed as a failure
 * (the XML of JUnit 4, as the schema of Apache Ant has it).
 */
export function writeJunit(project: string, tried: readonly TriedCase[], begun: Date): string {
  const stages = [...new Set(tried.map((t) => t.stage))];
  const secondsOf = (all: readonly TriedCase[]): string =>
    all.reduce((sum, t) => sum + t.outcome.seconds, 0).toFixed(3);
  const count = (all: readonly TriedCase[], verdict: CaseOutcome['verdict']): number =>
    all.filter((t) => t.outcome.verdict === verdict).length;
  const suites = stages.map((stage, id) => {
    const own = tried.filter((t) => t.stage === stage);
    return {
      '@id': id,
      '@package': written(project),
      '@name': stageCalled(stage),
      '@timestamp': begun.toISOString().slice(0, 19),
      '@hostname': 'localhost',
      '@tests': own.length,
      '@failures': count(own, 'failed'),
      '@errors': count(own, 'not run'),
      '@time': secondsOf(own),
      properties: '',
      testcase: own.map(({ name, outcome }) => ({
        '@name': written(name),
        '@classname': written(`${project}.${stageCalled(stage)}`),
        '@time': outcome.seconds.toFixed(3),
        ...(outcome.verdict === 'failed' && {
          failure: { '@message': written(outcome.why), '@type': 'failed', '#text': written(detailOf(outcome)) },
        }),
        ...(outcome.verdict === 'not run' && {
          error: { '@message': written(outcome.why), '@type': 'not run', '#text': written(outcome.why) },
        }),
      })),
      'system-out': '',
      'system-err': '',
    };
  });
  const builder = new XMLBuilder({ ignoreAttributes: false, attributeNamePrefix: '@', format: true, indentBy: '  ' });
  return builder.build({
    '?xml': { '@version': '1.0', '@encoding': 'UTF-8' },
    testsuites: { testsuite: suites },
  });
}

/** Control characters have no place in XML. */
const written = (text: string): string =>
  text.replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '\ufffd');

const detailOf = ({ why, failedAt, script, findings }: CaseOutcome): string =>
  [
    why,
    ...(failedAt === undefined ? [] : [`at ${Number(failedAt.toPrecision(9))} s`]),
    ...(script?.lines.flatMap((l) => (l.status === 'failed' ? [`line ${l.line + 1}: ${l.detail}`] : [])) ?? []),
    ...findings.flatMap((f) => (f.verdict === 'fails' ? [`${f.key}: ${f.reason}`] : [])),
  ].join('\n');
