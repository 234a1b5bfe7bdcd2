// Dates in the form that the browser's language uses; without this they stand as the server wrote them.
const forms = {
  day: new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeZone: 'UTC' }),
  stamp: new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'short', timeZone: 'UTC' }),
};

export function local(within = document) {
  for (const t of within.querySelectorAll('time[data-when]')) {
    t.textContent = forms[t.dataset.when].format(new Date(t.dateTime));
    delete t.dataset.when;
  }
}
