// Runs the server, its workers and the simulated devices until told to stop; what dies but the server is started again.
import { spawn } from 'node:child_process';

const workers = Number(process.env.WORKERS ?? 1);
const children = new Set();
let stopping = false;

function run(file, name) {
  const child = spawn(process.execPath, [file], { stdio: ['ignore', 'pipe', 'inherit'], detached: true });
  children.add(child);
  child.stdout.on('data', (data) => {
    const text = String(data);
    const ready = /Server ready on (\S+)/.exec(text);
    if (ready) console.log(`\nAmber Knit is at ${ready[1]}\nStop it with Ctrl-C.\n`);
    else process.stdout.write(text);
  });
  child.on('exit', (code) => {
    children.delete(child);
    if (stopping) return;
    if (!name) {
      console.error(`The server ended (${code}).`);
      stop(code ?? 1);
      return;
    }
    console.error(`${name} ended and is started again.`);
    setTimeout(() => stopping || run(file, name), 1000);
  });
}

function stop(code = 0) {
  if (stopping) return;
  stopping = true;
  for (const child of children) child.kill('SIGTERM');
  const end = setTimeout(() => {
    for (const child of children) child.kill('SIGKILL');
    process.exit(code);
  }, 4000);
  const wait = setInterval(() => {
    if (children.size > 0) return;
    clearTimeout(end);
    clearInterval(wait);
    process.exit(code);
  }, 50);
}

process.on('SIGINT', () => stop());
process.on('SIGTERM', () => stop());
run('apps/server/dist/main.js');
for (let i = 0; i < workers; i++) run('apps/server/dist/worker/main.js', 'A worker');
// Other adapters can be named instead of the simulated devices.
if (!process.env.DEVICES_URL) run('apps/devices/dist/main.js', 'The device service');
