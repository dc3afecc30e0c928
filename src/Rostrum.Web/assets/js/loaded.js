// What comes into the page is told of element by element, a hundred rows a hundred times: whoever looks through the page looks once.

/** The same function, called once however often it is asked for in one go. */
export function once(work) {
  let asked = false;
  return () => {
    if (asked) return;
    asked = true;
    queueMicrotask(() => {
      asked = false;
      work();
    });
  };
}

/** Attaches something to what is loaded: to each parent of new elements, once. */
export function whenLoaded(attach) {
  let parents = new Set();
  const visit = once(() => {
    const known = parents;
    parents = new Set();
    for (const parent of known) attach(parent);
  });
  document.addEventListener('htmx:load', event => {
    parents.add(event.detail.elt.parentElement ?? document);
    visit();
  });
}
