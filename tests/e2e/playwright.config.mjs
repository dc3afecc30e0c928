import { defineConfig } from '@playwright/test';
import { launchOptions } from './tools/browser.mjs';

export default defineConfig({
  testDir: './stories',
  outputDir: './results',
  workers: Number(process.env.ROSTRUM_E2E_WORKERS ?? 1),
  timeout: 120_000,
  expect: { timeout: 20_000 },
  reporter: [['list'], ['json', { outputFile: process.env.ROSTRUM_E2E_REPORT ?? 'results/report.json' }]],
  // Who waits for a dialog to slide in learns nothing by it.
  use: { locale: 'en-GB', timezoneId: 'UTC', viewport: { width: 1280, height: 800 }, launchOptions, contextOptions: { reducedMotion: 'reduce' } },
});
