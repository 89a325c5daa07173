import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const unit = readFileSync(new URL('../deploy/amber-knit.service', import.meta.url), 'utf8');
const verifier = '/usr/bin/systemd-analyze';
const settings = readFileSync(new URL('../docs/operation.md', import.meta.url), 'utf8');

/** What the unit sets in the environment. */
const environment = /^Environment=(.*)$/m.exec(unit)[1].split(' ');

test('the service sets only what the operation page tells of', () => {
  for (const pair of environment) expect(settings).toContain(`\`${pair.split('=')[0]}`);
  expect(unit).toContain('ExecStart=/opt/amber-knit/start');
});

(existsSync(verifier) ? test : test.skip)('systemd takes the service for a good one', () => {
  const file = join(mkdtempSync(join(tmpdir(), 'amber-unit-')), 'amber-knit.service');
  // The program is not installed where the tests run: everything else is looked at.
  writeFileSync(file, unit.replace(/^ExecStart=.*$/m, 'ExecStart=/bin/true'));
  const said = execFileSync(verifier, ['verify', '--man=no', file], {
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  expect(said).toBe('');
});
