// The room Export: a new export stands at the top of its list.
document.addEventListener('htmx:afterSettle', () => {
  if (document.activeElement?.closest('.export-card')) document.getElementById('drawing').scrollTop = 0;
});
