import { createChartRun } from '../behaviour/chart-run';
import type { ChartRun } from '../behaviour/chart-run-types';
import { scxmlProgram } from './scxml-program';
import { readScxml } from './scxml-read';

/** A file of SCXML on its own, with files beside it. */
function started(body: string, attributes = '', files: Readonly<Record<string, string>> = {}): ChartRun {
  const file = (path: string): string | undefined => files[path];
  const { value } = readScxml(`<scxml version="1.0" datamodel="ecmascript" ${attributes}>${body}</scxml>`, { file });
  const run = createChartRun(scxmlProgram(value!, file));
  run.start();
  return run;
}
/** What is active after some time, handed to itself and to others included. */
const after = (run: ChartRun, seconds: number): string[] => {
  run.advance(seconds);
  return run.active();
};

const child = (body: string, attributes = ''): string =>
  `<content><scxml version="1.0" datamodel="ecmascript" ${attributes}>${body}</scxml></content>`;

test('a service runs while its state is active, is answered, and tells when it has ended', () => {
  const run = started(`
    <datamodel><data id="heard" expr="0"/></datamodel>
    <state id="work"><invoke type="scxml" id="helper">
      <param name="start" expr="40"/>
      ${child('<datamodel><data id="start" expr="1"/></datamodel><state id="a"><transition event="more" target="z"><send target="#_parent" event="told"><param name="n" expr="start + 2"/></send></transition></state><final id="z"><donedata><param name="last" expr="start"/></donedata></final>')}
    </invoke>
      <onentry><send target="#_helper" event="more" delay="1s"/></onentry>
      <transition event="told"><assign location="heard" expr="_event.data.n"/></transition>
      <transition event="done.invoke.helper" cond="_event.data.last == 40" target="over"/></state>
    <state id="over"/>`);
  expect(after(run, 0.9)).toEqual(['work']);
  expect(after(run, 0.2)).toEqual(['over']);
  expect(run.value('heard')).toBe(42);
});

test('a service ends with its state: what it would have said later is not heard', () => {
  const run = started(`
    <state id="work"><invoke type="scxml">${child('<state id="a"><onentry><send target="#_parent" event="late" delay="2s"/></onentry></state>')}</invoke>
      <transition event="enough" target="rest"/></state>
    <state id="rest"><transition event="late" target="wrong"/></state><state id="wrong"/>`);
  run.advance(1);
  run.send('enough');
  expect(after(run, 5)).toEqual(['rest']);
  expect(run.nextTime()).toBe(Infinity);
});

test('messages from outside are passed on where that is asked for; finalize runs before the answer is looked at', () => {
  const run = started(`
    <datamodel><data id="got" expr="0"/></datamodel>
    <state id="work"><invoke type="scxml" autoforward="true">
        ${child('<state id="a"><transition event="ping"><send target="#_parent" event="pong"><param name="v" expr="7"/></send></transition></state>')}
        <finalize><assign location="got" expr="_event.data.v"/></finalize></invoke>
      <transition event="pong" cond="got == 7" target="good"/><transition event="pong" target="bad"/></state>
    <state id="good"/><state id="bad"/>`);
  run.send('ping');
  expect(after(run, 0)).toEqual(['good']);
});

test('the chart of a service may stand in a file; one that cannot be found is an error the chart hears', () => {
  const work =
    '<state id="work"><invoke type="scxml" src="file:other.scxml"/><transition event="done.invoke" target="good"/><transition target="bad" event="error.execution"/></state><state id="good"/><state id="bad"/>';
  expect(after(started(work, '', { 'other.scxml': '<scxml version="1.0"><final id="f"/></scxml>' }), 0)).toEqual([
    'good',
  ]);
  expect(after(started(work), 0)).toEqual(['bad']);
  expect(after(started(work.replace('type="scxml"', 'type="other"')), 0)).toEqual(['bad']);
});

test('names, receivers and ids of messages may be found when they are sent, and taken back', () => {
  const run = started(`
    <datamodel><data id="which" expr="'a'"/></datamodel>
    <state id="s"><onentry><send eventexpr="which + '.1'" targetexpr="'#_internal'"/><send id="k" event="late" delay="1s"/><assign location="which" expr="'k'"/><cancel sendidexpr="which"/></onentry>
      <transition event="a.1" target="t"/></state>
    <state id="t"><transition event="late" target="wrong"/><transition event="back" cond="_event.origintype != undefined" target="u"/><onentry><send event="back"/></onentry></state>
    <state id="u"/><state id="wrong"/>`);
  expect(after(run, 3)).toEqual(['u']);
  const nobody = started(
    '<state id="s"><onentry><send event="x" target="#_nobody"/></onentry><transition event="error.communication" target="lost"/></state><state id="lost"/>',
  );
  expect(nobody.active()).toEqual(['lost']);
});

test('objects, their members, and values that come about late', () => {
  const run = started(
    `
    <datamodel><data id="o" expr="{ a: 1, 'b': [2, 3] }"/></datamodel>
    <state id="s"><transition cond="typeof later === 'undefined' &amp;&amp; 'a' in o &amp;&amp; o.b instanceof Array &amp;&amp; o.b[1] == 3" target="t"/></state>
    <state id="t"><datamodel><data id="later" expr="5"/></datamodel><transition cond="later == 5" target="u"/></state><state id="u"/>`,
    'binding="late"',
  );
  expect(run.active()).toEqual(['u']);
});

test('read for a part, what only charts on their own can do is told', () => {
  const { value, problems } = readScxml(
    `<scxml version="1.0" datamodel="ecmascript"><state id="s"><invoke type="scxml" id="k">${child('<state id="a"/>')}</invoke><onentry><send eventexpr="x"/></onentry></state></scxml>`,
  );
  expect(problems.map((p) => p.message)).toEqual([
    'The chart that state s keeps running beside it (invoke) is left out in a part; the command zelvar chart runs it',
    'Who gets the message x, or what it is called, is found only when it is sent: a part cannot do that, the command zelvar chart can',
  ]);
  expect(value!.chart.states.map((s) => s.name)).toEqual(['s']);
  expect(value!.services).toMatchObject([{ state: 's', id: 'k', forwards: false }]);
});
