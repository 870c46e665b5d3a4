/**
 * The catalogue of findings. Each has an identity by which it is told, counted, filtered and tested; a
 * gravity; what a finding of it proves; and what helps. The analysis makes no finding that is not here.
 */
export type Gravity = 'blocking' | 'advisory';

export interface FindingKind {
	/** Blocking ones stop a release. */
	gravity: Gravity;
	/** What has been proven when one is shown. */
	proves: string;
	/** What to do about it. */
	helps: string;
	/** Something does not work at all: it cannot be accepted. */
	leavesOut?: true;
}

export const FINDINGS = {
	// ── what cannot be read ──
	'rule fault': {
		gravity: 'blocking',
		proves: 'the rule cannot be read as it stands, so it does nothing',
		helps: 'mend what the sentence names',
		leavesOut: true
	},
	unfinished: {
		gravity: 'blocking',
		proves: 'something is still to be said, so the rule does nothing yet',
		helps: 'say what the sentence names',
		leavesOut: true
	},
	'definition fault': {
		gravity: 'blocking',
		proves: 'the definition cannot be read, or its name means something else already',
		helps: 'mend its formula or give it another name',
		leavesOut: true
	},
	'table fault': {
		gravity: 'blocking',
		proves: 'the table cannot be read, so no rule can look anything up in it',
		helps: 'mend the cell that the sentence names',
		leavesOut: true
	},
	'doubled key': {
		gravity: 'advisory',
		proves: 'a look-up of one key finds two rows',
		helps: 'take one of the rows away, or say what several give'
	},
	'overlapping ranges': {
		gravity: 'advisory',
		proves: 'a look-up of one value finds two rows',
		helps: 'part the ranges of the two rows'
	},

	// ── inputs nobody decided about ──
	'blank unsaid': {
		gravity: 'advisory',
		proves: 'a record with blank input gets no result, and nobody said that it should',
		helps: 'say what a blank gives'
	},
	'gap between bands': {
		gravity: 'blocking',
		proves: 'a value between two bands gets no result',
		helps: 'widen a band over it, or add one'
	},
	'beyond the bands': {
		gravity: 'advisory',
		proves: 'a value below the first band or above the last gets no result',
		helps: 'let the outer band take it, if such values come'
	},
	'unmapped option': {
		gravity: 'blocking',
		proves: 'a record with this option gets no result',
		helps: 'map the option'
	},
	'missing row': {
		gravity: 'blocking',
		proves: 'a record with this key finds no row in a table that is to have one for every key',
		helps: 'add the row'
	},
	'key without a row': {
		gravity: 'advisory',
		proves: 'a record with this key finds no row, and the table does not say what that means',
		helps: 'add the row, or say in the table what a key without a row means'
	},
	'blank cell': {
		gravity: 'advisory',
		proves: 'the row is found and has nothing to give',
		helps: 'fill the cell'
	},
	'missing decision': {
		gravity: 'blocking',
		proves: 'a record with this combination meets no row of the decision table',
		helps: 'add a row that takes it'
	},
	'missing decision on blank': {
		gravity: 'advisory',
		proves: 'a record with this blank meets no row of the decision table',
		helps: 'add a row for the blank, if such records come'
	},

	// ── rows that contradict, or never come ──
	'overlapping rows': {
		gravity: 'blocking',
		proves: 'one record meets two rows, which the hit policy does not allow',
		helps: 'part the two rows'
	},
	'covered row': {
		gravity: 'advisory',
		proves: 'rows above take all that the row would take',
		helps: 'move it up or take it away'
	},
	'impossible row': {
		gravity: 'advisory',
		proves: 'the cells of the row exclude each other',
		helps: 'mend the cell that takes no value'
	},

	// ── conditions ──
	'never applies': {
		gravity: 'blocking',
		proves: 'no record meets the condition',
		helps: 'mend the condition'
	},
	'always applies': {
		gravity: 'advisory',
		proves: 'every record meets the condition',
		helps: 'take the condition away'
	},
	'enters at once': {
		gravity: 'advisory',
		proves: 'the condition always holds, so it comes to hold on new records only',
		helps: 'let the rule apply to new records, and say so'
	},
	'never met': {
		gravity: 'blocking',
		proves: 'no record can meet what the check asks for',
		helps: 'mend what it asks for'
	},
	'always met': {
		gravity: 'advisory',
		proves: 'every record meets what the check asks for',
		helps: 'mend what it asks for, or take the check away'
	},
	clash: {
		gravity: 'blocking',
		proves: 'what one check lets through the other refuses',
		helps: 'mend one of the two'
	},
	'unwatched read': {
		gravity: 'advisory',
		proves: 'a field it reads can change without the rule running',
		helps: 'watch all that it reads'
	},
	'unread watch': {
		gravity: 'advisory',
		proves: 'a field it watches has no part in what it gives',
		helps: 'no longer watch it'
	},
	'retired option': {
		gravity: 'advisory',
		proves: 'it speaks of an option that nobody can choose any more',
		helps: 'speak of another option'
	},

	// ── claims ──
	outranked: {
		gravity: 'advisory',
		proves: 'other rules come first wherever it applies',
		helps: 'move it up in the claim order, or take it away'
	},
	'gives nothing': {
		gravity: 'blocking',
		proves: 'it has no result for any record',
		helps: 'mend what it gives'
	},
	fails: {
		gravity: 'blocking',
		proves: 'with this record the rule fails',
		helps: 'mend the formula, or keep such records out by a condition'
	},
	spaces: {
		gravity: 'advisory',
		proves: 'with this record the text has spaces too many',
		helps: 'squeeze the spaces'
	},
	'not steady': {
		gravity: 'advisory',
		proves: 'what it gives changes when it is given again',
		helps: 'let it leave alone what it has cleaned'
	},
	'entry point differs': {
		gravity: 'advisory',
		proves: 'the same record gets another value on another entry point',
		helps: 'take every entry point, or accept the difference'
	},
	'moves with the day': {
		gravity: 'advisory',
		proves: 'the value would be another on a later day, and nothing sets the rule going',
		helps: 'read a date that is stored, or let a series settle the records'
	},
	'undone at next save': {
		gravity: 'blocking',
		proves: 'the next save takes back what the rule wrote',
		helps: 'put the rule first, or give the other one a condition'
	},
	overruled: {
		gravity: 'advisory',
		proves: 'people often set another value by hand',
		helps: 'ask them why, and mend the rule'
	},
	'first of several': {
		gravity: 'advisory',
		proves: 'several records match and one is taken without a word',
		helps: 'leave the field when several match'
	},
	'mixed currencies': {
		gravity: 'blocking',
		proves: 'it adds, compares or copies amounts that are not in one currency',
		helps: 'bring the amounts to one currency first'
	},
	'percent as fraction': {
		gravity: 'advisory',
		proves: 'it reckons with a percentage of 9 as with the number 9, not with 0.09',
		helps: 'divide the percentage by 100'
	},
	'same branches': {
		gravity: 'advisory',
		proves: 'both branches give the same, so the condition decides nothing',
		helps: 'mend one of the branches, or take the condition away'
	},
	'empty range': {
		gravity: 'advisory',
		proves: 'no value lies between the two ends',
		helps: 'turn the ends round, or take the range away'
	},
	'never seen to give': {
		gravity: 'advisory',
		proves: 'of all records tried it had a result for none',
		helps: 'look at what it gives for an ordinary record, and mend the formula'
	},
	'stays blank': {
		gravity: 'blocking',
		proves:
			'it starts from its own value of before, which is blank on every new record and so stays blank',
		helps: 'say what it starts from: otherwise(was.…, 0)'
	},
	'blank into else': {
		gravity: 'advisory',
		proves: 'with a blank the condition cannot be told, and the else gives its value all the same',
		helps: 'say first what a blank gives'
	},
	'goes to nobody': {
		gravity: 'blocking',
		proves: 'no record meets what the recipients are asked for, or none has an address',
		helps: 'mend whom it goes to'
	},
	'leaves out reached records': {
		gravity: 'advisory',
		proves:
			'what it reads of other records changes without it running, since it leaves out reached records',
		helps: 'let it take records that another change reaches'
	},
	'set off by nothing': {
		gravity: 'advisory',
		proves: 'no change of a record that is there sets it going',
		helps: 'let it be set at creation only, or watch a field'
	},
	'narrow moment': {
		gravity: 'advisory',
		proves:
			'what it reads can change at a moment that it leaves out, and the value stays as it was',
		helps: 'let it apply to changes as well, or say that it is set once'
	},
	'nobody can save': {
		gravity: 'blocking',
		proves: 'a record is refused for a field that nobody can set',
		helps: 'let people set the field there, or do not require it'
	},
	'refused although set by a rule': {
		gravity: 'advisory',
		proves: 'a check refuses the record for a value that only a rule gives',
		helps: 'show the message at a field that people can set, or mend the rule'
	},
	'required while hidden': {
		gravity: 'advisory',
		proves: 'wherever the field is required it is hidden, so nobody is ever asked for it',
		helps: 'take one of the two rules away, or part their conditions'
	},
	'no option left': {
		gravity: 'blocking',
		proves: 'two limits leave no option, so the field can hold nothing',
		helps: 'let the limits share an option'
	},
	'row never found': {
		gravity: 'advisory',
		proves: 'no look-up finds the row: a key is blank, or its range holds nothing',
		helps: 'mend the key, or take the row away'
	},
	'retired field': {
		gravity: 'advisory',
		proves: 'it speaks of a field that is retired',
		helps: 'speak of another field, or take it out'
	},
	'trial of what is gone': {
		gravity: 'advisory',
		proves: 'the trial sends or expects something that is retired or no longer there',
		helps: 'make the trial again, from a record as it is now'
	},
	'moved from or to blank': {
		gravity: 'advisory',
		proves: 'the side stands for a blank alone, not for any value',
		helps: 'write anything for a side that does not matter'
	}
} as const satisfies Record<string, FindingKind>;

export type FindingIs = keyof typeof FINDINGS;
