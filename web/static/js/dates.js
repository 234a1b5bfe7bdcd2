// Dates in the form that the browser's language uses, by the clock of the workshop: the time stands there with its zone,
// which is left out, so that a phone that is set to another shows the same. Without this they stand as the server wrote
// them.
const forms = {
  day: new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeZone: 'UTC' }),
  stamp: new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'short', timeZone: 'UTC' }),
};

export function local(within = document) {
  for (const t of within.querySelectorAll('time[data-when]')) {
    t.textContent = forms[t.dataset.when].format(new Date(t.dateTime.slice(0, 19) + 'Z'));
    delete t.dataset.when;
  }
}
