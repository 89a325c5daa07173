// Runs the server's command for accounts on the database that ./start uses: ./people.
import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { withDatabase } from './with-database.mjs';

const command = fileURLToPath(new URL('../apps/server/dist/accounts/main.js', import.meta.url));
await withDatabase((url) => {
  const { status } = spawnSync(process.execPath, [command, ...process.argv.slice(2)], {
    env: { ...process.env, DATABASE_URL: url },
    stdio: 'inherit',
  });
  process.exitCode = status ?? 1;
});
