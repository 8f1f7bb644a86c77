// Fixes are asked for after the findings stand there; those that come for findings no longer on show are left out.
document.addEventListener('htmx:beforeSwap', (event) => {
  if (!event.detail.requestConfig?.path.endsWith('/fixes/')) return;
  const answer = Object.assign(document.createElement('template'), {innerHTML: event.detail.serverResponse});
  for (const list of [...answer.content.children]) if (!document.getElementById(list.id)) list.remove();
  event.detail.serverResponse = answer.innerHTML;
});
