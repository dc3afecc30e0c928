// What must hold on every screen: axe finds nothing, in light, nor in the colours of dark; nothing scrolls sideways on a phone or a tablet.
import { AxeBuilder } from '@axe-core/playwright';
import { expect, signIn, test } from '../tools/fixtures.mjs';

test.use({ expectedErrors: [/status of (403|404)/] });
// These only look, so that workers share them.
test.describe.configure({ mode: 'parallel' });

const screens = [
  ['sign-in', '/sign-in', null],
  ['apps', '/', 'bea'],
  ['a list', '/apps/timetable/sailings', 'bea'],
  ['a filtered list', '/apps/maintenance/defects?defects.is.state=open&defects.from.reported_at=2020-01-01&defects.q=pump', 'bea'],
  ['an empty list', '/apps/maintenance/defects?defects.q=nothinglikethis', 'bea'],
  ['a record', '/apps/maintenance/defects?defects.selected=1', 'bea'],
  ['a start page', '/apps/maintenance/today', 'egil'],
  ['a start page of figures', '/apps/timetable/today', 'maren'],
  ['cards with pictures', '/apps/maintenance/vessels', 'maren'],
  ['a page of one record', '/apps/maintenance/defect?defect=1&from=today', 'maren'],
  ['a page of a vessel', '/apps/maintenance/vessel?vessel=BF-101', 'maren'],
  ['a page of no record', '/apps/maintenance/defect?defect=999999', 'maren'],
  ['checked rows', '/apps/maintenance/defects?defects.checked=1&defects.checked=2', 'maren'],
  ['sailings of a route', '/apps/timetable/routes?routes.selected=R01', 'maren'],
  ['charts and summary tables', '/apps/timetable/punctuality', 'oskar'],
  ['the records behind a mark', '/apps/timetable/punctuality?lateness.group=%3DR01', 'oskar'],
  ['a grid', '/apps/maintenance/worklist', 'maren'],
  ['a board', '/apps/maintenance/board', 'maren'],
  ['a calendar by month', '/apps/timetable/calendar', 'maren'],
  ['a calendar by day', '/apps/timetable/calendar?sailings.span=day', 'maren'],
  ['a timeline', '/apps/maintenance/yards', 'maren'],
  ['composing a chart', '/build/apps/timetable/pages/punctuality?panel=by_month', 'bea'],
  ['a page for a telephone', '/apps/timetable/port', 'pia'],
  ['a record to look at only', '/apps/maintenance/dockings?dockings.selected=1', 'aud'],
  ['a new record', '/apps/maintenance/defects?defects.new=1', 'bea'],
  ['a record that is gone', '/apps/maintenance/defects?defects.selected=999999', 'bea'],
  ['no access', '/apps/maintenance/defects', 'pia'],
  ['nothing there', '/apps/nowhere/at-all', 'bea'],
  ['people', '/people', 'oskar'],
  ['changes of records', '/people/audit/changes', 'oskar'],
  ['a person', 'person:jon', 'oskar'],
  ['groups', '/people/groups', 'oskar'],
  ['attributes', '/people/attributes', 'oskar'],
  ['invitations', '/people/invitations', 'oskar'],
  ['an account', '/account', 'clem'],
  ['an invitation that is void', '/join/nothing', null],
  ['Build', '/build', 'bea'],
  ['connecting', '/build/sources/new', 'bea'],
  ['connecting an API', '/build/sources/new?kind=http', 'bea'],
  ['secrets', '/build/secrets', 'bea'],
  ['workflows', '/build/workflows', 'bea'],
  ['a workflow', '/build/workflows/agree_to_a_timetable_change?at=s3', 'bea'],
  ['a workflow’s trigger', '/build/workflows/no_second_open_defect?at=trigger', 'bea'],
  ['a workflow’s versions', '/build/workflows/no_second_open_defect/versions', 'bea'],
  ['a workflow’s runs', '/build/workflows/no_second_open_defect/runs', 'bea'],
  ['trying a workflow', '/build/workflows/no_second_open_defect/try', 'bea'],
  ['a new query', 'source:/queries/new', 'bea'],
  ['a new statement', 'source:/queries/new?changes=yes', 'bea'],
  ['a join', 'source:/joins/new', 'bea'],
  ['what a panel costs', '/build/apps/maintenance/pages/defects?panel=defects&part=cost', 'bea'],
  ['a source', 'data:', 'bea'],
  ['the settings of a field', 'data:?field=minutes', 'bea'],
  ['a computed field', 'data:/computed/on_time', 'bea'],
  ['relations', 'data:/relations', 'bea'],
  ['names', 'data:/names', 'bea'],
  ['rules', 'data:/rules', 'bea'],
  ['a rule', 'data:/rules/new', 'bea'],
  ['who may what', 'data:/access?role=port-agent', 'bea'],
  ['the structure read again', 'structure', 'bea'],
  ['composing a page', '/build/apps/timetable/pages/sailings?panel=sailings', 'bea'],
  ['composing: what a table does', '/build/apps/timetable/pages/sailings?panel=sailings&part=behaviour', 'bea'],
  ['composing cards', '/build/apps/maintenance/pages/vessels?panel=vessels', 'bea'],
  ['composing: actions', '/build/apps/maintenance/pages/defects?panel=defects&part=behaviour', 'bea'],
  ['composing: the page itself', '/build/apps/timetable/pages/sailings', 'bea'],
  ['versions', '/build/apps/timetable/versions', 'bea'],
  ['choosing whom to view as', '/view-as', 'bea'],
  ['the audit', '/people/audit', 'oskar'],
  ['two roles compared', '/people/roles/compare?one=auditor&other=clerk', 'oskar'],
  ['a way to sign in', '/people/sign-in/gatehouse', 'oskar'],
  ['public links', '/build/apps/timetable/public', 'oskar'],
  ['the inbox', '/inbox', 'maren'],
  ['a new table', '/build/tables/new', 'bea'],
  ['an empty new table', '/build/tables/new?empty=true', 'bea'],
  ['removed tables', '/build/tables/removed', 'bea'],
  ['choosing a file to import', '/apps/maintenance/dockings?handler=ImportRows&panel=dockings', 'bea'],
  ['a table on paper', '/apps/maintenance/dockings?handler=Print&panel=dockings', 'maren'],
  ['ways to sign in', '/people/sign-in', 'oskar'],
  ['an app in Build', '/build/apps/timetable?role=port-agent', 'bea'],
];

for (const [name, path, person] of screens) {
  test(`${name} is accessible and fits`, async ({ page }) => {
    if (person) await signIn(page, person);
    if (path.startsWith('source:')) {
      await page.goto('/build');
      await page.goto(await page.getByRole('link', { name: 'Fleet', exact: true }).getAttribute('href') + path.slice(7));
    } else if (path.startsWith('data:') || path === 'structure') {
      await page.goto('/build');
      await page.getByRole('link', { name: 'Fleet', exact: true }).click();
      if (path === 'structure') await page.getByRole('link', { name: 'Refresh structure' }).click();
      else {
        await page.getByRole('form', { name: 'Tables' }).getByRole('link', { name: 'routes' }).click();
        await page.waitForURL(/\/[0-9a-f]{32}\/[0-9a-f]{32}$/);
        await page.goto(page.url() + path.slice(5));
      }
    } else if (path === 'person:jon') {
      await page.goto('/people');
      await page.getByRole('link', { name: 'Jon Ness' }).click();
    } else {
      await page.goto(path);
    }
    for (const colorScheme of ['light', 'dark']) {
      await page.emulateMedia({ colorScheme });
      // All frames here are of this application, so that axe needs no page of its own to put their results together.
      const axe = new AxeBuilder({ page }).setLegacyMode().options({ resultTypes: ['violations'], preload: false });
      const found = await (colorScheme === 'dark' ? axe.withRules('color-contrast') : axe).analyze();
      expect(found.violations.map(violation => `${violation.id}: ${violation.nodes.map(node => node.target).join(' ')}`)).toEqual([]);
    }
    for (const [width, height] of [[1280, 800], [768, 1024], [390, 844]]) {
      await page.setViewportSize({ width, height });
      expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth), `sideways at ${width}`).toBeLessThanOrEqual(0);
    }
  });
}

test('a page with no script still shows its data', async ({ browser }) => {
  const context = await browser.newContext({ javaScriptEnabled: false });
  const page = await context.newPage();
  await signIn(page, 'aud');
  await page.goto('/apps/maintenance/defects?defects.q=pump&defects.selected=1');
  await expect(page.getByRole('row')).not.toHaveCount(0);
  await expect(page.locator('#sheet').getByText('Reported by')).toBeVisible();
  await context.close();
});
