// The cards of an answer: what is shown of each idea, and the idea itself.

/** @param {any} told */
export function cardsOf(told) {
  const boxes = new DOMParser().parseFromString(told.cards.join(""), "text/html").querySelectorAll("article");
  return told.cards.map((/** @type {string} */ html, /** @type {number} */ number) => {
    const box = boxes[number];
    const idea = told.ideas[told.of[number]];
    return {
      html, idea, pinned: idea.state === "pinned", taken: false, title: box.querySelector("header b").textContent,
      changes: box.dataset.changes?.split(" ").map(Number) ?? null,
      words: box.querySelector(".idea-words").textContent, bar: Number(box.querySelector("[data-idea-again]")?.dataset.ideaAgain ?? 0),
    };
  });
}
