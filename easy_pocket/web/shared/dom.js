// Small pieces of the page, made in one line; what comes from people is always text.

export const MARKS = { "": "", circle: "○", triangle: "△", square: "□", diamond: "◇", cross: "✕", star: "☆" };

export function element(tag, className = "", children = []) {
  const made = document.createElement(tag);
  made.className = className;
  made.append(...children);
  return made;
}

export function text(tag, words, className = "") {
  const made = element(tag, className);
  made.textContent = words;
  return made;
}
