// Making of SVG nodes.
const SVG = "http://www.w3.org/2000/svg";

export const make = (name, attributes, text) => {
  const node = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  if (text !== undefined) node.textContent = text;
  return node;
};
