// The room Export: a new export stands at the top of its list, and is seen there.
document.addEventListener('htmx:afterSettle', () => {
  if (document.activeElement?.closest('.export-card')) document.querySelector('.export-row')?.scrollIntoView({block: 'nearest'});
});
