// Unfolds what stands as JSON behind a long list, a thousand lines at a time, and narrows what each emulator wants;
// without this script counts and reasons are shown, and the names of many sets are not.
(() => {
  "use strict";
  const most = 1000;
  const make = (tag, more, ...inner) => {
    const made = Object.assign(document.createElement(tag), more);
    made.append(...inner);
    return made;
  };
  const parsed = new Map();
  const entriesOf = (part) => {
    const data = [...part.parentElement.children].find((one) => one.type === "application/json");
    if (!parsed.has(data)) parsed.set(data, JSON.parse(data.textContent));
    return parsed.get(data)[part.dataset.key];
  };
  // Fills a fold with those of its lines in which a word stands; how many these are.
  const fill = (part, wanted) => {
    const entries = entriesOf(part).filter((entry) => !wanted || entry.join(" ").toLowerCase().includes(wanted));
    const list = make("ul");
    const more = make("button", { type: "button" });
    let told = 0;
    const tell = () => {
      for (const [name, ...rest] of entries.slice(told, told + most)) {
        list.append(make("li", {}, make("code", {}, name), ` ${rest.filter(Boolean).join(", ")}`));
      }
      told += most;
      more.textContent = `and ${(entries.length - told).toLocaleString("en")} more`;
      more.hidden = told >= entries.length;
    };
    more.addEventListener("click", tell);
    tell();
    part.replaceChildren(part.querySelector("summary"), list, more);
    return entries.length;
  };
  for (const part of document.querySelectorAll("details.more")) {
    part.addEventListener("toggle", () => part.open && !part.querySelector("ul") && fill(part, ""));
  }
  const section = document.getElementById("needs").parentElement;
  const parts = [...section.querySelectorAll("details:not(.more)")].map((part) => ({
    part,
    about: part.querySelector("summary").textContent.toLowerCase(),
    folds: [...part.querySelectorAll("details.more")].map((fold) => ({
      fold,
      word: fold.querySelector("[class*='is-']").className.match(/is-(\w+)/)[1],
    })),
    items: [...part.querySelectorAll("tbody tr, .cell")].map((item) => ({
      item,
      text: item.textContent.toLowerCase(),
      word: (item.querySelector("[class*='is-']") || item).className.match(/is-(\w+)/)[1],
    })),
  }));
  const items = parts.flatMap((one) => one.items);
  const toObtain = [...document.querySelectorAll(".obtain tbody tr")].map((row) => ({
    row,
    text: row.textContent.toLowerCase(),
  }));
  const good = ["sound", "unproven", "ready"];
  const words = [...new Set([...items, ...parts.flatMap((one) => one.folds)].map((one) => one.word))].sort();

  const find = make("input", { type: "search" });
  const show = make(
    "select",
    {},
    make("option", { value: "" }, "everything"),
    make("option", { value: "wrong" }, "only what is wrong"),
    ...words.map((word) => make("option", { value: word }, `only ${word}`)),
  );
  const told = make("output", {});
  const form = make("form", { className: "tools" });
  form.append(make("label", {}, "Find ", find), make("label", {}, "Show ", show), told);

  const narrow = () => {
    const wanted = find.value.trim().toLowerCase();
    const right = (word) => !show.value || (show.value === "wrong" ? !good.includes(word) : word === show.value);
    let count = 0;
    for (const one of parts) {
      const whole = one.about.includes(wanted);
      for (const { item, text, word } of one.items) {
        item.hidden = !(right(word) && (whole || text.includes(wanted)));
        count += item.hidden ? 0 : 1;
      }
      const narrowed = wanted.length > 1 && !whole;
      for (const { fold, word } of one.folds) {
        const there = narrowed ? fill(fold, wanted) : 0;
        fold.hidden = !right(word) || (narrowed && there === 0);
        if (narrowed) {
          fold.open = there > 0;
          count += fold.hidden ? 0 : there;
        } else if (fold.querySelector("ul")) {
          fill(fold, "");
        }
      }
      one.part.hidden = one.items.length > 0 && one.items.every(({ item }) => item.hidden);
      one.part.open ||= Boolean(wanted || show.value);
    }
    for (const { row, text } of toObtain) {
      row.hidden = Boolean(wanted) && !text.includes(wanted);
      count += row.hidden || !wanted ? 0 : 1;
    }
    told.value = wanted || show.value ? `${count.toLocaleString("en")} found` : "";
  };
  for (const command of document.querySelectorAll(".command")) {
    const copy = make("button", { type: "button", className: "copy", textContent: "copy" });
    copy.setAttribute("aria-label", `copy ${command.textContent}`);
    copy.addEventListener("click", () => {
      getSelection().selectAllChildren(command);
      copy.textContent = document.execCommand("copy") ? "copied" : "press Ctrl-C"; // works in a page from a disk, too
    });
    command.after(" ", copy);
  }
  form.addEventListener("submit", (event) => event.preventDefault());
  form.addEventListener("input", narrow);
  section.querySelector("h2").after(form);
})();
