// What the bench shows, told to monitors of the same shot that are open in this browser.
export function setUpMonitor(desk) {
  const channel = new BroadcastChannel(`drawstring shot ${desk.shot}`);
  let isChanged = false;
  const tell = () => {
    const name = desk.names[0], shows = { name, frame: desk.frame, tried: desk.isResult(name) ? { ...desk.tried } : {}, stops: desk.well.stops, view: document.getElementById("view").value };
    channel.postMessage({ shows, changed: isChanged });
    isChanged = false;
  };
  channel.addEventListener("message", ({ data }) => { if (data.asks) tell(); });
  document.body.addEventListener("recipe-changed", () => { isChanged = true; });
  desk.wellElement.addEventListener("well-laid", tell);
}
