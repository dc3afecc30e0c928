// [data-theme-choice]: light, dark, or what the system says; kept for this browser.
document.addEventListener('click', event => {
  const button = event.target.closest('[data-theme-choice] button');
  if (!button) return;
  document.cookie = `theme=${button.value}; path=/; max-age=${button.value ? 31536000 : 0}; samesite=lax`;
  if (button.value) document.documentElement.dataset.theme = button.value;
  else delete document.documentElement.dataset.theme;
  mark();
});

function mark() {
  for (const button of document.querySelectorAll('[data-theme-choice] button')) {
    button.setAttribute('aria-pressed', String(button.value === (document.documentElement.dataset.theme ?? '')));
  }
}

mark();
