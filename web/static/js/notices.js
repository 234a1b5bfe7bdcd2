// Bootstrap's scripted parts, loaded when a page asks for one: short notices, questions before what is hard to take
// back, menus, and the links behind a button on a narrow screen. Without them every link and form still works.

let loading;
// The bundle leaves its name on the window, as a page without modules would have it.
function bootstrap() {
  loading ??= import('../vendor/bootstrap.bundle.min.js').then(() => window.bootstrap);
  return loading;
}

// say shows a short notice, in the place of the one before, and reads it out; heard only, it stands in nobody's way.
export async function say(text, heard) {
  const box = document.getElementById('notices');
  if (!box) return;
  const toast = document.createElement('div');
  toast.className = heard ? 'visually-hidden' : 'toast';
  toast.role = 'status';
  const body = document.createElement('div');
  body.className = 'toast-body';
  body.textContent = text;
  toast.append(body);
  box.replaceChildren(toast);
  if (heard) return;
  const { Toast } = await bootstrap();
  toast.addEventListener('hidden.bs.toast', () => toast.remove());
  new Toast(toast, { delay: 4000 }).show();
}

// A button with data-confirm asks once more. Sent without this script, the server's own gates decide.
async function ask(button) {
  const dialog = document.getElementById('confirm');
  const { Modal } = await bootstrap();
  dialog.querySelector('[data-question]').textContent = button.dataset.confirm;
  const yes = dialog.querySelector('[data-yes]');
  yes.textContent = button.textContent.trim();
  const modal = Modal.getOrCreateInstance(dialog);
  const go = () => {
    modal.hide();
    button.dataset.confirmed = '1';
    button.click(); // as pressed: its own name and value go with it
    delete button.dataset.confirmed;
  };
  yes.addEventListener('click', go, { once: true });
  dialog.addEventListener(
    'hidden.bs.modal',
    () => {
      yes.removeEventListener('click', go);
      button.focus();
    },
    { once: true },
  );
  dialog.addEventListener('shown.bs.modal', () => dialog.querySelector('[data-no]').focus(), { once: true });
  modal.show();
}

export function start() {
  document.addEventListener(
    'click',
    (e) => {
      const button = e.target.closest?.('button[data-confirm]');
      if (button && !button.dataset.confirmed && button.form?.reportValidity()) {
        e.preventDefault();
        e.stopPropagation();
        ask(button);
      }
    },
    true,
  );
  // The first press loads what the press asks for; later ones find it there.
  document.addEventListener('click', async (e) => {
    const toggle = e.target.closest?.('[data-bs-toggle]');
    if (!toggle || window.bootstrap) return;
    e.preventDefault();
    await bootstrap();
    toggle.click();
  });
  if (!matchMedia('(hover: hover)').matches) return;
  // What a badge stands for; without this script the browser shows it in its own time.
  document.addEventListener('pointerover', async (e) => {
    const on = e.target.closest?.('.badge[title]');
    if (!on || on.dataset.tipped) return;
    on.dataset.tipped = '1';
    const { Tooltip } = await bootstrap();
    const tip = new Tooltip(on, { trigger: 'hover focus' });
    if (on.matches(':hover')) tip.show();
  });
}
