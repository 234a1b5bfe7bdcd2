import { availableParallelism } from 'node:os';
import { defineConfig } from '@playwright/test';

export default defineConfig({
  testDir: '.',
  outputDir: 'test-results',
  timeout: 480_000, // the longest walk takes two minutes on a busy machine
  expect: { timeout: 20_000 }, // a machine may stand still for seconds; what is right then is right later too
  fullyParallel: true,
  workers: Math.max(1, Math.min(2, availableParallelism())),
  reporter: [['list']],
  use: {
    actionTimeout: 30_000, // a press that finds nothing says so
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
