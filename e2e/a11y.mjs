// What a screen reader or a weak eye would stumble over, as lines of text.
import AxeBuilder from '@axe-core/playwright';

const TAGS = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'];

export async function violations(page, scheme = 'light') {
  // No page has frames, so that one pass in the page itself sees all of it.
  const builder = new AxeBuilder({ page }).setLegacyMode(true);
  // Only colours differ in the dark: there only they are looked at again.
  if (scheme === 'dark') builder.options({ resultTypes: ['violations'], runOnly: ['color-contrast'] });
  else if (scheme === 'best') builder.options({ resultTypes: ['violations'], runOnly: ['best-practice'] });
  else builder.options({ resultTypes: ['violations'], runOnly: TAGS });
  const found = await builder.analyze();
  return found.violations.map(
    (v) =>
      `${v.id} ${v.nodes
        .map((n) => `${n.target} ${n.failureSummary}`)
        .slice(0, 2)
        .join(' | ')}`,
  );
}
