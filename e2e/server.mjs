// Starts the program on a port of its own choosing and says where it is.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const program = join(root, 'bin/pandrel');

// start runs `pandrel serve` or `pandrel demo` on an empty folder.
export async function start(command) {
  const dir = mkdtempSync(join(tmpdir(), 'pandrel-e2e-'));
  const child = spawn(program, [command, '--data', dir, '--listen', '127.0.0.1:0'], {
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let log = '';
  child.stderr.on('data', (b) => {
    log += b;
  });
  const url = await new Promise((done, fail) => {
    child.stdout.on('data', (b) => {
      const m = /http:\/\/\S+/.exec(String(b));
      if (m) done(m[0]);
    });
    child.on('exit', (code) => fail(new Error(`pandrel ended with ${code}: ${log}`)));
  });
  return {
    url,
    dir,
    log: () => log,
    stop: async () => {
      const ended = new Promise((done) => child.on('exit', done));
      child.removeAllListeners('exit');
      const gone = new Promise((done) => child.once('exit', done));
      child.kill('SIGTERM');
      await Promise.race([ended, gone]);
      rmSync(dir, { recursive: true, force: true });
    },
  };
}

// run runs a command to its end.
export function run(args, input) {
  return spawnSync(program, args, { input, encoding: 'utf8' });
}
