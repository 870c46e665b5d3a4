/** What each page is for and how it is worked with, in a few sentences. */

interface Help {
	title: string;
	says: string[];
}

const PAGES: [path: string, help: Help][] = [
	[
		'/write',
		{
			title: 'Write',
			says: [
				'On the left are the fields of a record type, in the middle how one of them gets its value, on the right a sample record.',
				'Words that are underlined can be chosen. Whatever you change is stored in the draft and touches no live record until it is released.',
				'Change a value of the sample, and see at once what the draft writes and why; where nothing happens, it says why not.'
			]
		}
	],
	[
		'/check',
		{
			title: 'Check',
			says: [
				'What can be proven wrong in the draft, each shown by a record that was run through it, or by what proves it.',
				'What blocks stops a release. Advice may be accepted with a reason; it is told again when what it rests on changes.'
			]
		}
	],
	[
		'/try',
		{
			title: 'Try',
			says: [
				'A trial is a sample, one or several changes of it and what must come of each. All of them run again at each edit.',
				'Untried tells what of each rule no trial gets to, and proposes trials; Strength which mistakes in the rules no trial would notice.',
				'Keep one from the sample on a sheet. Where one fails, it says what came instead.'
			]
		}
	],
	[
		'/rehearse',
		{
			title: 'Rehearse',
			says: ['What the draft would change in the records that exist. Nothing is stored by it.']
		}
	],
	[
		'/release',
		{
			title: 'Release',
			says: [
				'Puts the draft in force on every entry point at once, as a numbered version that never changes.',
				'An earlier version can be put in force again, taken as the draft, or read on paper.'
			]
		}
	],
	[
		'/whole',
		{
			title: 'The whole',
			says: [
				'Which fields each rule reads and writes: as a picture from left to right, or as a matrix.',
				'Arrow keys lead along the lines; Enter opens what has the focus.'
			]
		}
	],
	[
		'/compare',
		{
			title: 'Compare',
			says: [
				'Any two of the draft, the releases and a release or bundle from a file: what each rule, table and field says otherwise, and which trials come out otherwise.',
				'A file is read here. Rehearsed on the records it goes to the server, which keeps its rules with that job.'
			]
		}
	],
	[
		'/pilot',
		{
			title: 'Pilot',
			says: [
				'A release that decides some records first, while the one in force decides all others: those that meet conditions, or that some people change or make from now on. Each record is decided by its own release on every road; the page of a record says so.',
				'At each change of its records both are asked, and what they give differently is shown day by day.',
				'It is widened, put in force for all, or withdrawn in one action. None of that writes in records: what differs then is listed as out of line, and follows after a look.'
			]
		}
	],
	[
		'/bundle',
		{
			title: 'Bundle',
			says: [
				'Everything that decides values as one file: rules, tables, trials and the model they speak of. Of records it holds name and key of those that rules name, and nothing else.',
				'One that is taken in is looked at first: what each part is here, what would be made in the model, then what the draft would have otherwise and how trials come out.',
				'The model is a step of its own, which is live at once. Rules go into the draft, where undo takes them out again.'
			]
		}
	],
	[
		'/versions',
		{
			title: 'Versions of a rule',
			says: ['The draft and every release of it, and what each says otherwise than the one before.']
		}
	],
	[
		'/tables',
		{
			title: 'Reference tables',
			says: [
				'Tables that rules look up in. A key says which column a value is found by, and how.',
				'Rows are typed, pasted from a spreadsheet or read from a CSV file. They are part of the draft, and count when it is released.',
				'Rows of a living table are edited in force by those it was given to: what is written counts when it is put in force, after a look at what it would do; every edit is kept, and can be taken back.'
			]
		}
	],
	[
		'/definitions',
		{
			title: 'Definitions',
			says: ['Named calculations that any formula may use. Each says where it is used.']
		}
	],
	[
		'/records',
		{
			title: 'Records',
			says: [
				'A small stand-in for the CRM, to see the rules in force at work: both forms, the import, and the history of each record.',
				'Values in brass were written by a rule; each says which and why.'
			]
		}
	],
	[
		'/journal',
		{
			title: 'Journal',
			says: [
				'How often each rule wrote, did nothing, was refused or failed, and at which records.',
				'Line by line it is narrowed to a rule, a field, a person, a road or some days, and leaves as a CSV file.'
			]
		}
	],
	[
		'/jobs',
		{
			title: 'Jobs',
			says: [
				'What takes long is done beside what people do. It can be paused, and a server that ends leaves it to the next one.',
				'Bulk changes and imports are taken back on their own pages: they are found here by what they did and for whom.'
			]
		}
	],
	[
		'/outbox',
		{
			title: 'Outbox',
			says: [
				'Messages that rules sent. They go to a stand-in for a mail server, which keeps each once, under a number.',
				'What waits is tried again for three days. One that left in its period already is kept as a double, and does not leave.'
			]
		}
	],
	[
		'/webhooks',
		{
			title: 'Webhooks',
			says: [
				'Other systems are told of each change of a record, in order for each record: what is behind one that was not taken waits for it.',
				'A receiver ships with Rigid Rule. Have it away or slow for a while and see what becomes of what happens meanwhile.'
			]
		}
	],
	[
		'/indexes',
		{
			title: 'Indexes of lists',
			says: [
				'Where a list of many records is slow, PostgreSQL reads all of them to find a page. An index of what it is ordered or filtered by ends that.',
				'Keep a list as a view, and what would make it fast is proposed here. One that is never read only costs: drop it.'
			]
		}
	],
	[
		'/lead-source',
		{
			title: 'Lead source',
			says: [
				'Posts made-up enquiries through the API at a pace, to watch the rules in force at work on them.'
			]
		}
	],
	[
		'/model',
		{
			title: 'Model',
			says: [
				'Record types with their fields and forms. What is changed here is live at once; rules go by identities, so a new name changes no rule.',
				'Edits can be undone. Where records would lose values, it is said before, with which.'
			]
		}
	],
	[
		'/options',
		{
			title: 'Option list',
			says: [
				'The options that choices offer, in their order: rules may ask whether one stands behind another.',
				'A retired option stays where it is set and cannot be chosen anew.'
			]
		}
	],
	[
		'/people',
		{
			title: 'People',
			says: [
				'Who may sign in, and what each role may do. A new password is shown once, to be told to the person, who changes it at the first sign-in.'
			]
		}
	],
	['/account', { title: 'Your account', says: ['Your password, and where you are signed in.'] }],
	['/settings', { title: 'Settings', says: ['Tokens for other systems.'] }],
	['/paper', { title: 'On paper', says: ['Every rule in words, to be printed and signed.'] }]
];

/** The help of the page at an address; null where there is none. */
export const helpFor = (path: string): Help | null =>
	PAGES.find(([start]) => path === start || path.startsWith(`${start}/`))?.[1] ?? null;
