// The controls of a page, by what each is and does: told to the walk that presses them (walking.py).
([names, within]) => {
  const KINDS = ['button', 'select', 'input:not([type=hidden])', 'textarea', 'summary', 'a[href]', '[tabindex="0"]'];
  const TOLD = ['edit', 'field', 'look', 'pose', 'try', 'tried', 'drawn', 'setDrawn', 'setFan', 'part', 'stepField'];
  // names of layers, numbers and keys of rows are left out: a control is the same whatever it does it to
  const known = new RegExp(`(^|[-_ "'])(${names.join('|')})(?=$|[-_ "'])`, 'g');
  const plain = (text) => (text ?? '').replace(known, '$1*').replace(/-?\d+([.,]\d+)?/g, '#').replace(/[0-9a-f]{8}-[-0-9a-f#]+/g, '*');
  const signature = (element) => {
    const data = Object.keys(element.dataset).filter((key) => !['walked', 'unsaved'].includes(key)).sort();
    const sends = new URL(element.getAttribute('hx-post') || element.getAttribute('hx-get') || location.pathname, location.href);
    const values = element.getAttribute('hx-vals') ? Object.keys(JSON.parse(element.getAttribute('hx-vals'))).join() : '';
    const named = element.id || ['SELECT', 'INPUT'].includes(element.tagName);
    return [
      element.tagName.toLowerCase(), element.type, element.dataset.channel ? '' : plain(element.id), element.name,
      plain(sends.pathname.split('/').slice(3).join('/')), values,
      data.map((key) => (TOLD.includes(key) ? `${key}=${plain(element.dataset[key])}` : key)).join(),
      named ? '' : plain(element.getAttribute('aria-label') || element.textContent.trim().replace(/\s+/g, ' ').slice(0, 40)),
    ].filter(Boolean).join(' ');
  };
  const dialog = document.querySelector('dialog[open]');
  const shown = (element) => element.checkVisibility({visibilityProperty: true}) && !element.closest('[inert]') && !element.disabled
    && (!dialog || dialog.contains(element)) && (element.getBoundingClientRect().width > 0 || element.type === 'file');
  const leaves = (element) => {  // what ends the page: signing out, a copy that is opened
    const form = element.closest('form');
    return element.type === 'submit' && form?.method === 'post' && !form.matches('[hx-post], [hx-get]');
  };
  const found = {}, marked = {};
  for (const element of document.querySelectorAll(within.flatMap((place) => KINDS.map((kind) => `${place} ${kind}`)).join())) {
    if (!shown(element) || leaves(element)) continue;
    const name = signature(element);
    const already = (element.type === 'radio' && element.checked) || !!element.closest('[aria-current], [aria-pressed=true], .chosen');
    if (found[name] && (already || !found[name].already)) continue;  // what is chosen already has nothing to do
    marked[name] = element;
    const form = element.closest('form'), trigger = form?.getAttribute('hx-trigger') ?? 'submit';
    found[name] = {
      kind: element.tagName.toLowerCase(), type: element.type ?? '', id: element.id, value: element.value ?? '', already,
      sends: !!element.dataset.edit || element.matches('[hx-post], [hx-get]'), submits: !!form && trigger.includes('submit') && !trigger.includes('change'),
      href: element.href?.baseVal ?? element.href ?? '', hidden: element.getAttribute('aria-hidden') === 'true',
    };
  }
  // marks that stay as they are are left alone: whoever watches the page is told of every one that is set
  for (const element of document.querySelectorAll('[data-walked]')) {
    if (marked[element.dataset.walked] !== element) delete element.dataset.walked;
  }
  for (const [name, element] of Object.entries(marked)) if (element.dataset.walked !== name) element.dataset.walked = name;
  return JSON.stringify(found);  // as one text: many small values take long to be handed over
};
