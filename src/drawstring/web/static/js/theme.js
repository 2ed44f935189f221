// Before the first paint: a page that was dimmed comes up dim.
if (localStorage.getItem("dim") === "yes") document.documentElement.dataset.dim = "";
