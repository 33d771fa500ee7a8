// Narrows what each emulator wants; without this script everything is shown.
(() => {
  "use strict";
  const section = document.getElementById("needs").parentElement;
  const parts = [...section.querySelectorAll("details")].map((part) => ({
    part,
    about: part.querySelector("summary").textContent.toLowerCase(),
    items: [...part.querySelectorAll("tbody tr, .cell")].map((item) => ({
      item,
      text: item.textContent.toLowerCase(),
      word: (item.querySelector("[class*='is-']") || item).className.match(/is-(\w+)/)[1],
    })),
  }));
  const items = parts.flatMap((one) => one.items);
  const good = ["sound", "unproven", "ready"];
  const words = [...new Set(items.map((one) => one.word))].sort();

  const make = (tag, more, ...inner) => {
    const made = Object.assign(document.createElement(tag), more);
    made.append(...inner);
    return made;
  };
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
      one.part.hidden = one.items.length > 0 && one.items.every(({ item }) => item.hidden);
      one.part.open ||= Boolean(wanted || show.value);
    }
    told.value = wanted || show.value ? `${count} of ${items.length}` : "";
  };
  form.addEventListener("submit", (event) => event.preventDefault());
  form.addEventListener("input", narrow);
  section.querySelector("h2").after(form);
})();
