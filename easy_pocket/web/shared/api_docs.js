// The description of the interface for programs, shown by a library made for it.

const place = /** @type {HTMLElement} */ (document.getElementById("api"));
/** @type {any} */ (window).SwaggerUIBundle({ url: place.dataset.description, domNode: place, deepLinking: true, validatorUrl: null });
