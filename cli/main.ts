import { boards } from '../core/boards/board';
import { build, type BuildArguments } from './build-command';
import { buildRecord, type RecordArguments } from './build-record';
import { Command, CommanderError, InvalidArgumentError, Option } from 'commander';
import { chart } from './chart';
import { check } from './check';
import { compare, type CompareArguments } from './compare';
import { code as writeCode, type CodeArguments } from './code';
import { compareStages, type StagesArguments } from './stages';
import { checkEvidence, writeEvidence, type CheckArguments, type EvidenceArguments } from './evidence';
import { fit, type FitArguments } from './fit';
import { best, search, type BestArguments, type SearchArguments } from './goal';
import { linear, type LinearArguments } from './linear';
import { matters, type MattersArguments } from './matters';
import { probe, usualEffort, type ProbeArguments } from './probe';
import { readBackCommand, type ReadBackArguments } from './read-back';
import { run, type ProjectRunArguments } from './run';
import { simulate } from './simulate';
import { tryCases, type TestArguments } from './try-cases';
import { vary, type VaryArguments } from './vary';
import { changes, mergeFiles, type ChangesArguments, type MergeArguments } from './versions';
import { work } from './worker';
import { solverNames } from '../core/simulate/solvers';
import type { RunArguments } from './options';

const positive = (text: string): number => {
  const value = Number(text);
  if (!(value > 0) || !Number.isFinite(value)) throw new InvalidArgumentError('A number above 0 is needed.');
  return value;
};
const atLeastZero = (text: string): number => {
  const value = Number(text);
  if (!(value >= 0) || !Number.isFinite(value)) throw new InvalidArgumentError('A time from 0 on is needed.');
  return value;
};
const whole = (text: string): number => {
  const value = Number(text);
  if (!Number.isInteger(value) || value < 1) throw new InvalidArgumentError('A whole number from 1 on is needed.');
  return value;
};
const share = (text: string): number => {
  const value = Number(text);
  if (!(value >= 0 && value < 0.9)) throw new InvalidArgumentError('A share from 0 to 0.9 is needed.');
  return value;
};
const percentage = (text: string): number => {
  const value = Number(text);
  if (!(value >= 0 && value <= 100)) throw new InvalidArgumentError('A number from 0 to 100 is needed.');
  return value;
};
const momentOrRest = (text: string): number | 'rest' => (text === 'rest' ? text : atLeastZero(text));
const collect = (text: string, before: string[]): string[] => [...before, text];

const withRunOptions = (command: Command): Command =>
  command
    .option('--set <path=value>', 'give a quantity another value; may be repeated', collect, [])
    .option('--stop <seconds>', 'end of the run', positive)
    .addOption(new Option('--solver <name>', 'integration method').choices(solverNames))
    .option('--rtol <number>', 'relative tolerance', positive)
    .option('--atol <number>', 'absolute tolerance', positive)
    .option('--step <seconds>', 'step of rk4, euler and implicit-euler, and distance of recorded rows', positive)
    .option('--record <paths>', 'columns to record, separated by commas', (text) =>
      text
        .split(',')
        .map((p) => p.trim())
        .filter(Boolean),
    )
    .option('--out <file.csv>', 'write the recording')
    .option('--json', 'print the outcome as JSON');

/** Runs the command; the number is the exit code. */
export async function main(args: readonly string[]): Promise<number> {
  let code = 0;
  const program = new Command('zelvar')
    .description('Runs and checks Zelvar projects and physics texts without a browser')
    .exitOverride();
  withRunOptions(
    program
      .command('run')
      .description('run a setup of a project and print the verdicts')
      .argument('<project>', 'project file')
      .requiredOption('--setup <name>', 'what to run')
      .option(
        '--stage <part=stage>',
        'how a part runs: designed, sampled, code, host, board or board:name; may be repeated',
        collect,
        [],
      )
      .option(
        '--serial <part=baud[:steps[:noise]]>',
        'watches a part on a board over its serial line, told after every so many steps; may be repeated',
        collect,
        [],
      )
      .option('--hear <part.quantity>', 'what is told over its serial line; may be repeated', collect, [])
      .option(
        '--wire <part.channel=fault>',
        'a wire that is loose, noisy, low, high, crossed, sound, swapped with another channel, or pin:channel for a jumper from there; may be repeated',
        collect,
        [],
      ),
  ).action((file: string, options: ProjectRunArguments) => {
    code = run(file, options);
  });
  withRunOptions(
    program
      .command('simulate')
      .description('simulate a class of a physics text')
      .argument('<file.mo>', 'text of classes')
      .requiredOption('--class <name>', 'what to simulate'),
  ).action((file: string, options: RunArguments & { class: string }) => {
    code = simulate(file, options);
  });
  program
    .command('test')
    .description('run the test cases of a project, and say which passed')
    .argument('<project>', 'project file')
    .option('--case <name or tag>', 'only those of a name or a tag; may be repeated', collect, [])
    .option(
      '--stage <list>',
      'stages they run in: designed, sampled, code, host, board or board:name, with commas; as their setups say without it',
    )
    .option('--jobs <n>', 'how many processes run at once', whole)
    .option('--junit <file.xml>', 'write the outcome as XML that other programs gather')
    .option('--coverage <file.json>', 'write what of the model the cases come through, and what they do not')
    .option('--json', 'print the outcome as JSON')
    .action(async (file: string, options: TestArguments) => {
      code = await tryCases(file, options);
    });
  const evidence = program
    .command('evidence')
    .description('what was tested, on what, and with which outcome, as files that can be checked');
  evidence
    .command('write')
    .description('run the test cases of a project and write evidence as HTML, XLSX and JSON')
    .argument('<project>', 'project file')
    .requiredOption('--out <folder>', 'where the files go')
    .option('--stage <list>', 'stages the cases run in, with commas; as their setups say without it')
    .option('--baseline <file>', 'project file that is said to be what was tested')
    .option('--sign <name: words>', 'who stands for it, and with which words; may be repeated', collect, [])
    .option('--jobs <n>', 'how many processes run at once', whole)
    .option('--json', 'print the outcome as JSON')
    .action(async (file: string, options: EvidenceArguments) => {
      code = await writeEvidence(file, options);
    });
  evidence
    .command('check')
    .description('whether evidence is as it was written, and fits a project')
    .argument('<file>', 'HTML, XLSX or JSON of evidence')
    .option('--project <file>', 'project file to compare it with: its pieces, the code of it, and its images')
    .option('--json', 'print as JSON')
    .action(async (file: string, options: CheckArguments) => {
      code = await checkEvidence(file, options);
    });
  program
    .command('build-record')
    .description('check, generate, compile, test and prove one state of a project, and say whether it is ready')
    .argument('<project>', 'project file')
    .requiredOption('--out <folder>', 'where all of it goes, with one file to hand over')
    .option('--stage <list>', 'stages the cases run in, with commas; as their setups say without it')
    .option('--board <name>', 'board to build images for, besides those of stages; may be repeated', collect, [])
    .option('--tag <words>', 'what it is called')
    .option('--baseline <file>', 'project file that is said to be what was tested')
    .option('--least <percent>', 'coverage below which it is not ready', percentage)
    .option('--sign <name: words>', 'who stands for it, and with which words; may be repeated', collect, [])
    .option('--jobs <n>', 'how many processes run at once', whole)
    .option('--json', 'print the record as JSON')
    .action(async (file: string, options: RecordArguments) => {
      code = await buildRecord(file, options);
    });
  program
    .command('check')
    .description('list the problems of a project or a physics text')
    .argument('<file>', 'project or .mo file')
    .option('--json', 'print as JSON')
    .action((file: string, options: { json?: boolean }) => {
      code = check(file, options);
    });
  program
    .command('chart')
    .description('run a state chart (SCXML) on its own and print its active states at the start and after each event')
    .argument('<file.scxml>', 'state chart')
    .option('--events <script.json>', 'events to send: [{"event": "name", "data": ..., "after": milliseconds}, ...]')
    .option('--json', 'print as JSON')
    .action((file: string, options: { events?: string; json?: boolean }) => {
      code = chart(file, options);
    });
  program
    .command('linear')
    .description('the linear model from an input to an output around a moment, with its poles, zeros and margins')
    .argument('<file>', 'project or .mo file')
    .option('--class <name>', 'class of a .mo file')
    .option('--type <name>', 'part type of a project; without it what the setup runs, or the product')
    .option('--setup <name>', 'setup of a project')
    .option('--from <input>', 'input')
    .option('--to <output>', 'output')
    .option('--open <quantity>', 'opens the loop there for the margins')
    .option('--at <seconds>', 'moment of the run, or rest; its start without it', momentOrRest)
    .option('--every <seconds>', 'from tick to tick instead of continuously', positive)
    .addOption(new Option('--method <name>', 'how ticks are made').choices(['hold', 'tustin', 'backward']))
    .option('--json', 'print as JSON: A, B, C, D, poles and zeros as [re, im], margins')
    .action((file: string, options: LinearArguments) => {
      code = linear(file, options);
    });
  program
    .command('probe')
    .description('what a box with an input and an output really is: homogeneous, additive, time-invariant, ...')
    .argument('<file>', 'project or .mo file')
    .option('--class <name>', 'class of a .mo file')
    .option('--type <name>', 'part type of a project; without it the product')
    .option('--property <names>', 'what is asked, with commas; without it everything')
    .option('--from <input>', 'input, where there are several')
    .option('--to <output>', 'output, where there are several')
    .option('--effort <n>', `how many inputs are tried per property (${usualEffort})`, positive)
    .option('--seed <n>', 'another choice of random inputs (1)', atLeastZero)
    .option('--json', 'print as JSON: per property what holds, a counterexample, what is to blame')
    .action((file: string, options: ProbeArguments) => {
      code = probe(file, options);
    });
  program
    .command('vary')
    .description('run a setup with other values: over ranges and lists, or drawn at random')
    .argument('<project>', 'project file')
    .option('--setup <name>', 'what to run')
    .requiredOption(
      '--vary <values>',
      'path=from:to:count, path=a,b,c or path~normal(mean,deviation); may be repeated',
      collect,
      [],
    )
    .option('--correlate <a,b=r>', 'correlation of two values that are drawn; may be repeated', collect, [])
    .option('--tell <formula>', 'a formula whose value at the end of each run is told; may be repeated', collect, [])
    .option('--runs <n>', 'how often values are drawn (100)', whole)
    .option('--seed <n>', 'another choice of random values (1)', atLeastZero)
    .addOption(new Option('--drawing <how>', 'how values are drawn').choices(['slices', 'sobol', 'random']))
    .option('--crossings', 'find the values of the one that is varied at which verdicts change')
    .option('--jobs <n>', 'how many processes run at once', whole)
    .option('--out <file.csv>', 'write a row per run')
    .option('--json', 'print all runs as JSON')
    .action(async (file: string, options: VaryArguments) => {
      code = await vary(file, options);
    });
  program
    .command('code')
    .description(
      'a part type as C99: what it does in every step, a build file, a test program, and which lines are of what',
    )
    .argument('<project>', 'project file')
    .requiredOption('--type <name>', 'part type')
    .requiredOption('--out <folder>', 'where the sources are written')
    .option('--every <seconds>', 'seconds from step to step; without it those of its fastest sheet', positive)
    .option('--fmu', 'write it as a unit for co-simulation (FMI 3.0, as sources) too')
    .option('--json', 'print as JSON: files, inputs, outputs, parameters, problems')
    .action((file: string, options: CodeArguments) => {
      code = writeCode(file, options);
    });
  program
    .command('read-back')
    .description('an edited source of a part type: what of it can be said in the model, and what cannot, line by line')
    .argument('<project>', 'project file')
    .argument('<source>', 'the C as somebody has edited it')
    .requiredOption('--type <name>', 'part type')
    .option('--since <source>', 'the C as it was before that, where the model has gone on since')
    .option('--every <seconds>', 'seconds from step to step, where the part type does not say them', positive)
    .option('--out <file>', 'writes the project with everything taken over')
    .option('--json', 'print as JSON: proposals, what is not taken')
    .action((file: string, source: string, options: ReadBackArguments) => {
      code = readBackCommand(file, source, options);
    });
  program
    .command('build')
    .description('a part type as an image for a board: sizes, and what does not fit')
    .argument('<project>', 'project file')
    .requiredOption('--type <name>', 'part type')
    .requiredOption('--board <name>', boards.map((b) => `${b.id}: ${b.note}`).join('; '))
    .requiredOption('--out <folder>', 'where the image is written')
    .option('--every <seconds>', 'seconds from step to step; without it those the part type says', positive)
    .option('--json', 'print as JSON: sizes, problems')
    .action((file: string, options: BuildArguments) => {
      code = build(file, options);
    });
  program
    .command('stages')
    .description('run a setup with a part as designed, in steps, as code and as compiled C, and say where they differ')
    .argument('<project>', 'project file')
    .requiredOption('--setup <name>', 'what to run')
    .requiredOption('--part <name>', 'full name of the part that goes in steps')
    .option(
      '--stages <list>',
      'some of designed, sampled, code, host, board:name, with commas; without it all that are available',
    )
    .option(
      '--tolerance <share>',
      'of the largest value of a quantity (1e-3); what is compiled has to be equal',
      positive,
    )
    .option('--direct', 'signals go directly in and out, not through their channels')
    .option('--json', 'print as JSON: pairs, profile')
    .action((file: string, options: StagesArguments) => {
      code = compareStages(file, options);
    });
  program
    .command('fit')
    .description('values of a model from measured courses: least squares, with how certain each is')
    .argument('<file>', 'project or .mo file')
    .option('--class <name>', 'class of a .mo file')
    .option('--setup <name>', 'setup of a project that the measured run is like')
    .requiredOption('--data <file.csv>', 'what was measured: time first, names in the first row')
    .option('--map <column=quantity>', 'what a column is where its name does not say it; may be repeated', collect, [])
    .requiredOption('--free <path=low:high>', 'a value to be found, with its range; may be repeated', collect, [])
    .option('--shift <low:high>', 'seconds by which the model may be ahead of what was measured; found as well')
    .option('--hold <share>', 'last share of the time that is only looked at afterwards', share)
    .option('--seed <n>', 'other points to start from (1)', whole)
    .option('--json', 'print as JSON: values, residual, correlation, notDecided')
    .action(async (file: string, options: FitArguments) => {
      code = await fit(file, options);
    });
  program
    .command('matters')
    .description('how much of each margin, or of a formula, every value explains over its range')
    .argument('<project>', 'project file')
    .option('--setup <name>', 'what to run')
    .option('--over <path=low:high>', 'a value with its range; may be repeated', collect, [])
    .option('--tell <formula>', 'a formula besides the margins; may be repeated', collect, [])
    .option('--runs <n>', 'how many runs (600)', whole)
    .option('--jobs <n>', 'how many processes run at once', whole)
    .option('--json', 'print the outcome as JSON')
    .action(async (file: string, options: MattersArguments) => {
      code = await matters(file, options);
    });
  const goal = (command: Command): Command =>
    command
      .argument('<project>', 'project file')
      .option('--setup <name>', 'what to run')
      .option('--over <path=low:high>', 'a value that may be different; may be repeated', collect, [])
      .option('--runs <n>', 'how many runs at most (300)', whole)
      .option('--seed <n>', 'another choice of runs (1)', atLeastZero)
      .addOption(new Option('--method <how>', 'how it is looked for').choices(['both', 'global', 'local']))
      .option('--jobs <n>', 'how many processes run at once', whole)
      .option('--json', 'print the outcome as JSON');
  goal(
    program
      .command('best')
      .description('the values for which a formula is least or greatest while the requirements hold'),
  )
    .requiredOption(
      '--aim <"min formula">',
      'min or max, and a formula or margin(KEY); a second one asks for the border of what can be had',
      collect,
      [],
    )
    .option('--under <keys>', 'requirements that have to hold, with commas; all without it')
    .action(async (file: string, options: BestArguments) => {
      code = await best(file, options);
    });
  goal(
    program.command('search').description('values and moments for which a requirement fails, or comes nearest to it'),
  )
    .requiredOption('--requirement <key>', 'which one')
    .option(
      '--message <part.message@from:to or quantity=value@from:to>',
      'a message that may come, or a quantity that may be set, at any time of a span; may be repeated',
      collect,
      [],
    )
    .action(async (file: string, options: SearchArguments) => {
      code = await search(file, options);
    });
  program
    .command('changes')
    .description('two versions of a project: what was added, removed, changed and moved, by element')
    .argument('<before>', 'project file')
    .argument('<after>', 'project file')
    .option('--json', 'print as JSON')
    .action((before: string, after: string, options: ChangesArguments) => {
      code = changes(before, after, options);
    });
  program
    .command('merge')
    .description('brings two versions of a project together that grew from one, by element')
    .argument('<before>', 'the version both grew from')
    .argument('<here>', 'one of them: what is not decided stays as it is here')
    .argument('<there>', 'the other one')
    .option('--out <file>', 'project file to write, .zelvar or .json')
    .option('--take <side>', 'decides what both have changed: here or there')
    .option('--json', 'print conflicts and problems as JSON')
    .action((before: string, here: string, there: string, options: MergeArguments) => {
      code = mergeFiles(before, here, there, options);
    });
  program
    .command('compare')
    .description('two recordings: whether they are the same, and where they first differ')
    .argument('<a.csv>', 'recording')
    .argument('<b.csv>', 'recording')
    .option(
      '--tolerance <share>',
      'allowed difference, as a share of the largest value of a column (1e-6)',
      atLeastZero,
    )
    .option('--absolute <number>', 'allowed difference whatever the values are (1e-12)', atLeastZero)
    .option('--within <seconds>', 'by how much the same may happen earlier or later (0)', atLeastZero)
    .option('--shift <seconds>', 'the second is moved by so much first', Number)
    .option('--json', 'print the outcome as JSON')
    .action((a: string, b: string, options: CompareArguments) => {
      code = compare(a, b, options);
    });
  program
    .command('worker', { hidden: true })
    .description('carries out runs for other commands')
    .action(async () => {
      code = await work();
    });
  try {
    await program.parseAsync(args as string[], { from: 'user' });
  } catch (error) {
    if (!(error instanceof CommanderError)) throw error;
    return error.code === 'commander.helpDisplayed' || error.code === 'commander.help' ? 0 : 2;
  }
  return code;
}
