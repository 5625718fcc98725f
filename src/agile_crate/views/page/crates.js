// A page of several crates holds the body of each in a template; the address says which one is shown.

const crateTemplates = [...document.querySelectorAll("template[data-crate]")];
const crateInAddress = () => new URLSearchParams(location.hash.slice(1)).get("crate");
const shownTemplate = crateTemplates.find(({ dataset }) => dataset.crate === crateInAddress()) ?? crateTemplates[0];

if (shownTemplate) {
  document.title = shownTemplate.dataset.title;
  document.body.prepend(shownTemplate.content);
}

/** The crate of the address: a page that shows another one starts anew. */
function isOtherCrate() {
  return crateTemplates.some(({ dataset }) => dataset.crate === crateInAddress() && dataset !== shownTemplate.dataset);
}
