// Timecode labels of frames, as the core counts them (SMPTE ST 12-1).
export const label = (frames, nominal, drop) => {
  let count = frames;
  if (drop) {
    const dropped = nominal / 15;
    const minute = 60 * nominal - dropped;
    const ten = 10 * minute + dropped;
    const tens = Math.floor(count / ten);
    const rest = count % ten;
    count += 9 * dropped * tens;
    if (rest >= 60 * nominal) count += dropped * (1 + Math.floor((rest - 60 * nominal) / minute));
  }
  const two = (number) => String(number).padStart(2, "0");
  const seconds = Math.floor(count / nominal);
  const width = Math.max(2, String(nominal - 1).length);
  const tail = String(count % nominal).padStart(width, "0");
  const hours = Math.floor(seconds / 3600) % 24;
  return `${two(hours)}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${drop ? ";" : ":"}${tail}`;
};
