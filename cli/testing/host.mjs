// A thread in which commands run one after the other, in the bundle that the command itself starts: it is compiled once, not for every one.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { Script } from 'node:vm';
import { workerData } from 'node:worker_threads';

const { bundle, port, turn } = workerData;
const own = { exports: {} };
// commands start others of themselves
process.argv[1] = workerData.command;
const source = `(function (exports, require, module) {${readFileSync(bundle, 'utf8')}\n})`;
new Script(source, { filename: bundle }).runInThisContext()(own.exports, createRequire(bundle), own);

port.on('message', async (args) => {
  const said = { stdout: '', stderr: '' };
  for (const stream of ['stdout', 'stderr'])
    process[stream].write = (text) => {
      said[stream] += text;
      return true;
    };
  let status;
  try {
    status = await own.exports.main(args);
  } catch (error) {
    said.stderr += error.stack;
    status = 1;
  }
  port.postMessage({ status, ...said });
  Atomics.store(turn, 0, 1);
  Atomics.notify(turn, 0);
});
