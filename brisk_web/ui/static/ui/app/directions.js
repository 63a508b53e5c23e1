// Which of some places lies next in a direction: the nearest one, where what lies aside counts double.
const AHEAD = {
  right: (one, two) => [two.x - one.x, two.y - one.y],
  left: (one, two) => [one.x - two.x, two.y - one.y],
  down: (one, two) => [two.y - one.y, two.x - one.x],
  up: (one, two) => [one.y - two.y, two.x - one.x],
};

const middle = ({ area }) => ({ x: area.x + area.width / 2, y: area.y + area.height / 2 });

/** The place next to ``place`` in a direction, of ``places`` with an ``area`` each; undefined where there is none. */
export function nearest(place, places, direction) {
  const far = (other) => {
    const [ahead, aside] = AHEAD[direction](middle(place), middle(other));
    return ahead > 0 ? ahead + 2 * Math.abs(aside) : Infinity;
  };
  const found = places.filter((one) => one !== place && far(one) < Infinity);
  return found.sort((one, two) => far(one) - far(two))[0];
}
