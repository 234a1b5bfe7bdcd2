// Every test has a workshop of its own, so that none depends on what another did, and they run beside each other.
import { test as base } from '@playwright/test';
import { start } from './server.mjs';

export const test = base.extend({
  // demo is the sample workshop, serve an empty one.
  command: ['demo', { option: true }],
  server: async ({ command }, use) => {
    const server = await start(command);
    await use(server);
    await server.stop();
  },
});
export { expect } from '@playwright/test';

/** room opens a room of a long page by its name. */
export const room = (page, name) =>
  page
    .getByRole('navigation', { name: /^Rooms/ })
    .getByRole('link', { name, exact: true })
    .click();
