/** The mark on a small picture whose encoding is unknown. */
export function Raw() {
  return <span className="absolute inset-x-0 bottom-0 bg-pit/80 px-1 text-center text-[10.5px] leading-4 text-bright">encoding not set</span>;
}
