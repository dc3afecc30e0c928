// Reads what a suite's runner left in a folder: writes each test's seconds to SUITE.times and says "passed failed".
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const [folder, suite] = process.argv.slice(2);
const tests = suite === 'e2e' ? browserTests(join(folder, 'e2e.json')) : dotnetTests(join(folder, `${suite}.trx`));
writeFileSync(join(folder, `${suite}.times`), tests.map(test => `${test.seconds.toFixed(1)} ${suite}: ${test.name}\n`).join(''));
const failed = tests.filter(test => test.failed).length;
// A runner that left nothing has failed as a whole.
console.log(`${tests.length - failed} ${tests.length === 0 ? 1 : failed}`);

function dotnetTests(file) {
  if (!existsSync(file)) return [];
  return [...readFileSync(file, 'utf8').matchAll(/<UnitTestResult ([^>]*)>/g)].map(([, text]) => {
    const value = name => text.match(new RegExp(`${name}="([^"]*)"`))?.[1] ?? '';
    const [hours, minutes, seconds] = (value('duration') || '0:0:0').split(':').map(Number);
    return { name: value('testName').replace(/&quot;/g, '"'), seconds: hours * 3600 + minutes * 60 + seconds, failed: value('outcome') === 'Failed' };
  });
}

function browserTests(file) {
  if (!existsSync(file)) return [];
  const report = JSON.parse(readFileSync(file, 'utf8'));
  const within = (suite, tests = []) => {
    for (const spec of suite.specs ?? []) {
      for (const test of spec.tests) {
        tests.push({ name: spec.title, seconds: test.results.reduce((sum, result) => sum + result.duration, 0) / 1000, failed: test.status !== 'expected' && test.status !== 'skipped' });
      }
    }
    for (const inner of suite.suites ?? []) within(inner, tests);
    return tests;
  };
  return [...report.suites.flatMap(suite => within(suite)), ...report.errors.map(error => ({ name: error.message, seconds: 0, failed: true }))];
}
