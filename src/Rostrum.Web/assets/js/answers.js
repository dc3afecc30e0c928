/** Does something as soon as an answer has come, before it is shown: the element that asked may be gone by then, and its events with it. */
export function whenAnswered(xhr, then) {
  xhr.addEventListener('readystatechange', () => {
    if (xhr.readyState === XMLHttpRequest.DONE) then();
  });
}
