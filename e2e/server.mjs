// Starts the program on a port of its own choosing and says where it is.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const program = join(root, 'bin/pandrel');

// launch runs the program on a folder and waits until it says where it is.
async function launch(command, dir, listen, more = []) {
  const args = [command, '--data', dir, '--listen', listen, ...more];
  const child = spawn(program, args, { stdio: ['ignore', 'pipe', 'pipe'] });
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
  child.removeAllListeners('exit');
  const ended = new Promise((done) => child.once('exit', done));
  const end = async (signal) => {
    child.kill(signal);
    if (child.exitCode === null && child.signalCode === null) await ended;
  };
  return { url, log: () => log, end };
}

// start runs `pandrel serve` or `pandrel demo` on an empty folder. kill ends it as a power cut does, again starts it on
// the same folder and at the same address.
export async function start(command) {
  const dir = mkdtempSync(join(tmpdir(), 'pandrel-e2e-'));
  let now = await launch(command, dir, '127.0.0.1:0');
  return {
    url: now.url,
    dir,
    log: () => now.log(),
    kill: () => now.end('SIGKILL'),
    again: async (...more) => {
      now = await launch('serve', dir, new URL(now.url).host, more);
    },
    stop: async () => {
      await now.end('SIGTERM');
      rmSync(dir, { recursive: true, force: true });
    },
  };
}

// run runs a command to its end.
export function run(args, input) {
  return spawnSync(program, args, { input, encoding: 'utf8' });
}

// cycler starts the simulated instruments in a process of their own, and says where the cycler is.
export async function cycler(...more) {
  const free = ['--monitor', '127.0.0.1:0', '--meter', '127.0.0.1:0', '--cycler', '127.0.0.1:0'];
  const child = spawn(program, ['instruments', ...free, ...more], { stdio: ['ignore', 'pipe', 'inherit'] });
  const address = await new Promise((done, fail) => {
    child.stdout.on('data', (b) => {
      const m = /cycler .* at (\S+)/.exec(String(b));
      if (m) done(m[1]);
    });
    child.on('exit', (code) => fail(new Error(`the instruments ended with ${code}`)));
  });
  child.removeAllListeners('exit');
  return { address, stop: () => child.kill('SIGTERM') };
}
