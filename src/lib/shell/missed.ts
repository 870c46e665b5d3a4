/** Told to the window when what a page asked for once more did not come: the page stands as it was, until it is asked for again. */
export const MISSED = 'rigid:missed';
