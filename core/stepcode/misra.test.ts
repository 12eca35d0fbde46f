import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { tubeCapper } from '@/samples/tube-capper';
import { stepProgramOf } from './controller';
import { writeC } from './write-c';

/** Rules of MISRA C:2012 as cppcheck's addon looks at them; left out where it is not there. */
const addon = ['/usr/lib/x86_64-linux-gnu/cppcheck/addons/misra.py', '/usr/share/cppcheck/addons/misra.py'].find((p) =>
  existsSync(p),
);
const isThere = addon !== undefined && spawnSync('cppcheck', ['--version']).status === 0;

(isThere ? test : test.skip)('what is generated breaks no rules but those that the documents give a reason for', () => {
  const { program } = stepProgramOf(
    tubeCapper,
    tubeCapper.types.find((t) => t.name === 'CapperControl')!,
  );
  const c = writeC(program!);
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-misra-'));
  try {
    writeFileSync(join(folder, 'CapperControl.h'), c.header);
    writeFileSync(join(folder, 'CapperControl.c'), c.source);
    const run = (command: string, ...args: readonly string[]) =>
      spawnSync(command, args, { cwd: folder, encoding: 'utf8' });
    expect(run('cppcheck', '--dump', '-q', 'CapperControl.c').status).toBe(0);
    const said = run('python3', addon!, 'CapperControl.c.dump');
    const rules = `${said.stdout}${said.stderr}`.match(/misra-c2012-[\d.]+/g) ?? [];
    expect(new Set(rules)).toEqual(new Set(['misra-c2012-15.5', 'misra-c2012-15.7']));
    expect(rules.filter((r) => r.endsWith('15.7')).length).toBeLessThan(5);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
});
