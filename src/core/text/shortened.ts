/** A text by its beginning, where it is longer than so many signs (code points): the last of them is then an ellipsis. */
export function shortened(text: string, most: number): string {
	if (text.length <= most) return text;
	// a sign of two units is not cut in two
	const signs = Array.from(text.slice(0, 2 * most + 2));
	return signs.length <= most ? text : `${signs.slice(0, most - 1).join('')}…`;
}
