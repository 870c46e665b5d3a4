/** The program of the documentation does what it says. */
import { expect, it } from 'vitest';
import { example } from '../../docs/core-example';

it('compiles, settles, explains and checks', () => {
	expect(example()).toEqual({
		changes: [
			{ field: 'name', to: 'Fen Heating' },
			{ field: 'headcount', to: '50' },
			{ field: 'size', to: 'large' }
		],
		because: ['Headcount 50 is >= 50, the second band'],
		told: ['blank unsaid: Nobody said what a blank headcount gives; now it gives nothing.']
	});
});
