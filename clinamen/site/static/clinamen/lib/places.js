// Where a hand is: a place of the window in the units of a drawing, and on a plan as a share of its depths.
/** A place of the window in the units of an SVG. */
export const svgPoint = (svg, event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
/** A place of a plan as the server is told it. */
export function planPlace(svg, {x, y}) {
  const {left, right, near, middle, across} = svg.dataset;
  return {at: Math.max(0, Math.min(1, (x - left) / (right - left))), near, across: (y - middle) * across};
}
