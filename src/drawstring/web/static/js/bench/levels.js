// Levels of what is seen in the well: how bright, column by column and over all of it; counted by Python.

const COLOURS = ["rgb(255 90 80 / ", "rgb(90 220 110 / ", "rgb(90 140 255 / "];

function drawWaveform(context, data, width, height) {
  const rows = data.waveform[0].length / data.columns, wide = width / data.columns, tall = height / rows;
  context.globalCompositeOperation = "lighter";
  data.waveform.forEach((cells, channel) => {
    for (let i = 0; i < cells.length; i += 1) {
      if (cells[i] === "0") continue;
      context.fillStyle = `${COLOURS[channel]}${cells[i] / 9})`;
      context.fillRect((i % data.columns) * wide, height - (Math.floor(i / data.columns) + 1) * tall, wide + 0.3, tall + 0.3);
    }
  });
  context.globalCompositeOperation = "source-over";
}

function drawHistogram(context, data, width, height) {
  const most = Math.max(1, ...data.histogram.flatMap((counts) => counts.slice(1, -1)));
  data.histogram.forEach((counts, channel) => {
    context.strokeStyle = `${COLOURS[channel]}0.9)`;
    context.beginPath();
    counts.forEach((count, i) => context.lineTo(((i + 0.5) / counts.length) * width, height - Math.min(1, Math.sqrt(count / most)) * (height - 4)));
    context.stroke();
  });
}

function grid(context, data, width, height, isAcross) {
  context.strokeStyle = "rgb(255 255 255 / .28)";
  context.fillStyle = "rgb(255 255 255 / .7)";
  context.font = "10px sans-serif";
  for (const [stops, says] of [[0, "1"], [Math.log2(0.18), "0.18"], [-8, "-8"], [4, "16"]]) {
    const share = (stops - data.lowest) / (data.highest - data.lowest);
    context.beginPath();
    if (isAcross) { context.moveTo(share * width, 0); context.lineTo(share * width, height); } else { context.moveTo(0, height - share * height); context.lineTo(width, height - share * height); }
    context.stroke();
    if (!isAcross) context.fillText(stops === -8 ? "1/256" : says, 3, height - share * height - 2);
  }
}

export function setUpLevels(desk) {
  const button = document.getElementById("levels-on"), panel = document.getElementById("levels");
  if (!button || !panel) return;
  const [waveform, histogram] = panel.querySelectorAll("canvas"), says = panel.querySelector("output");
  let isBusy = false, again = false, waiting = null;

  async function show() {
    if (panel.hidden) return;
    if (isBusy) { again = true; return; }
    isBusy = true;
    try {
      const query = new URLSearchParams({ ...desk.well.seen(), ...desk.tried });
      const answer = await desk.ask(`/frames/${desk.frame}/levels/${encodeURIComponent(desk.names[0])}?${query}`);
      const data = await answer.json();
      for (const canvas of [waveform, histogram]) canvas.getContext("2d").clearRect(0, 0, canvas.width, canvas.height);
      if (!answer.ok) { says.textContent = data.errors?.[0]?.what ?? "No levels."; return; }
      drawWaveform(waveform.getContext("2d"), data, waveform.width, waveform.height);
      grid(waveform.getContext("2d"), data, waveform.width, waveform.height, false);
      grid(histogram.getContext("2d"), data, histogram.width, histogram.height, true);
      drawHistogram(histogram.getContext("2d"), data, histogram.width, histogram.height);
      const share = (value) => `${(100 * value).toFixed(value && value < 0.001 ? 3 : 1)} %`;
      says.textContent = `mean ${data.mean.map((v) => v.toPrecision(3)).join(" ")} \u00a0 above 1: ${share(data.above)}${data.below ? ` \u00a0 below 0: ${share(data.below)}` : ""}${data.odd ? ` \u00a0 no number: ${share(data.odd)}` : ""}`;
    } finally {
      isBusy = false;
      if (again) { again = false; show(); }
    }
  }

  button.addEventListener("click", () => {
    panel.hidden = !panel.hidden;
    button.setAttribute("aria-pressed", String(!panel.hidden));
    show();
  });
  // Whatever lies in the well, and wherever it lies, its canvas says so.
  new MutationObserver(() => { clearTimeout(waiting); waiting = setTimeout(show, 120); }).observe(desk.well.canvas, { attributes: true });
}
