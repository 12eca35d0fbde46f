import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { MessageChannel, receiveMessageOnPort, Worker } from 'node:worker_threads';

export interface CommandDone {
  readonly status: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

const root = join(__dirname, '..', '..');
/** The command as a process of its own. */
export function zelvarAlone(...args: string[]): CommandDone {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['cli/zelvar.mjs', ...args], { encoding: 'utf8' });
  return { status, stdout, stderr };
}

/**
 * The command in a thread that stays, so that a test of many commands does not start as many processes: what it says and how it ends is the same,
 * but for a signal.
 */
export function commandHost(): { run(...args: string[]): CommandDone; end(): Promise<unknown> } {
  // makes the bundle where it is missing or old
  const started = zelvarAlone('--help');
  if (started.status !== 0) throw new Error(started.stderr);
  const turn = new Int32Array(new SharedArrayBuffer(4));
  const { port1, port2 } = new MessageChannel();
  const worker = new Worker(join(__dirname, 'host.mjs'), {
    workerData: {
      bundle: join(root, 'node_modules', '.cache', 'zelvar-cli', 'zelvar.cjs'),
      command: join(root, 'cli', 'zelvar.mjs'),
      port: port2,
      turn,
    },
    transferList: [port2],
  });
  return {
    run(...args) {
      Atomics.store(turn, 0, 0);
      port1.postMessage(args);
      if (Atomics.wait(turn, 0, 0, 300_000) === 'timed-out') throw new Error(`zelvar ${args.join(' ')} does not end`);
      return receiveMessageOnPort(port1)!.message as CommandDone;
    },
    end: () => worker.terminate(),
  };
}
