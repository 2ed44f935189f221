// Keys from elsewhere: a table, a flicker or a sound makes the keys of the value whose track is shown.

export function setUpKeysFrom(desk) {
  const dialog = document.getElementById("keys-from"), select = document.getElementById("track-of");
  if (!dialog) return;
  const form = dialog.querySelector("form");
  const show = () => {
    const by = form.querySelector("[name=by]:checked").value;
    for (const part of form.querySelectorAll("[data-by]")) part.hidden = !part.dataset.by.split(" ").includes(by);
  };
  form.addEventListener("change", show);
  dialog.addEventListener("click", ({ target }) => { if (target.closest("[data-closes]")) dialog.close(); });
  // What was refused stays open to be put right; what went through is seen on the track.
  document.body.addEventListener("recipe-changed", () => { if (dialog.open) dialog.close(); });
  document.querySelector("[data-keys-from]").addEventListener("click", () => {
    form.elements.setting.value = select.value;
    dialog.querySelector("[data-keys-of]").textContent = select.selectedOptions[0]?.textContent ?? select.value;
    show();
    dialog.showModal();
  });
}
