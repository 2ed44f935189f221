// Arrivals on the bench: what a pass holds over all frames.

export function setUp(desk) {
  const target = document.getElementById("facts-of-pass");
  let shown = null;
  const markFlags = () => target.querySelectorAll(".column").forEach((column) => column.classList.toggle("is-now", Number(column.dataset.go) === desk.frame));
  function show(name, again = false) {
    const bare = name.split("@")[0];
    if (shown === bare && !again) return;
    shown = bare;
    htmx.ajax("GET", `/shots/${desk.shot}/facts/${encodeURIComponent(bare)}`, { target, swap: "innerHTML" }).then(markFlags);
  }
  return { chosen: (name) => show(name), marked: markFlags, shown: () => show(desk.names[0], true), begun: () => show(desk.names[0]) };
}
