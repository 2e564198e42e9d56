// Runs before any script of the page, in the page's own world: asks the supplier's sign until it is
// true, and says when, by an event whose name only the other world knows.
(() => {
  if (window !== top) return;
  const page = document,
    dispatch = page.dispatchEvent.bind(page),
    Told = CustomEvent;
  const now = performance.now.bind(performance),
    again = setInterval,
    enough = clearInterval;
  const tell = (text) => dispatch(new Told("__EVENT__", { detail: text }));
  let told = "";
  const timer = again(() => {
    try {
      if (__SIGN__) {
        enough(timer);
        tell("alive|" + now());
      }
    } catch (error) {
      const text = String(error);
      if (text !== told) {
        told = text;
        tell("error|" + text);
      }
    }
  }, 20);
})();
