// A partial update that fails says so, and leaves everything on the page as it was.
import { say, text } from './messages.js';

function link(words, href) {
  const anchor = document.createElement('a');
  anchor.href = href;
  anchor.target = '_blank';
  anchor.rel = 'noopener';
  anchor.textContent = words;
  return anchor;
}

document.addEventListener('htmx:responseError', event => {
  const status = event.detail.xhr.status;
  if (status === 401) {
    say([text('Your session has ended. What you typed still stands here: '), link('sign in again in another tab', '/sign-in?returnUrl=/'), text(', come back, and repeat the step.')], 'text-bg-danger');
  } else if (status === 400) {
    say([text('This page is out of date, and nothing was changed. Copy what you typed, load the page again, and repeat the step.')], 'text-bg-danger');
  } else if (status === 503) {
    say([text('What was asked does not answer at present, and nothing was changed. What you typed still stands here; try again in a moment.')], 'text-bg-danger');
  } else if (status === 403) {
    say([text('That is not open to you, and nothing was changed.')], 'text-bg-danger');
  } else {
    say([text('Something went wrong, and it is not certain whether this was saved. Look at what is there before you repeat it.')], 'text-bg-danger');
  }
});

document.addEventListener('htmx:sendError', () => {
  say([text('Rostrum does not answer. What you typed still stands here; try again in a moment.')], 'text-bg-danger');
});
