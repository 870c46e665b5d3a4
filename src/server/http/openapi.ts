/**
 * What the API takes and gives, as an OpenAPI document.
 * https://spec.openapis.org/oas/v3.1.0 ; schemas are JSON Schema 2020-12
 */
import { ROLES } from '../../door/rights';
import { MAX_BATCH } from './api';

const ref = (name: string) => ({ $ref: `#/components/schemas/${name}` });
const json = (schema: object, example?: unknown) => ({
	'application/json': { schema, ...(example === undefined ? {} : { example }) }
});
const answer = (description: string, schema: object, headers?: object) => ({
	description,
	content: json(schema),
	...(headers ? { headers } : {})
});
const text = { type: 'string' };
const nullable = (type: string) => ({ type: [type, 'null'] });

const PERSON_TAKES = {
	name: { type: 'string', minLength: 1, maxLength: 80 },
	email: { type: 'string', maxLength: 200 },
	role: { enum: [...ROLES] },
	person: { ...nullable('string'), description: 'The record that stands for the person.' }
};

const ETAG = { ETag: { description: 'The version of the record.', schema: text } };
const REPLAYED = {
	'Idempotent-Replayed': {
		description: 'Present when the answer was given before, to the same request.',
		schema: { const: 'true' }
	}
};
const REFUSALS = {
	'400': answer('Input that cannot be read; the faults name the place.', ref('Refusal')),
	'401': answer('No token, or one that opens nothing.', ref('Message')),
	'403': answer('The role or the record types of the token do not reach.', ref('Message')),
	'404': answer('There is no such record type or record.', ref('Refusal')),
	'422': answer(
		'A check of the release in force refuses it, or the key came with another request.',
		ref('Refusal')
	),
	'503': {
		...answer(
			'The database is away; nothing was stored unless the message says that it is not known.',
			ref('Message')
		),
		headers: { 'Retry-After': { description: 'Seconds.', schema: text } }
	}
};
const KEY = {
	name: 'Idempotency-Key',
	in: 'header',
	description:
		'The same key with the same request is carried out once and answered the same, for a day.',
	schema: { type: 'string', minLength: 1, maxLength: 200 }
};
const TYPE = {
	name: 'type',
	in: 'path',
	required: true,
	description: 'Identity of a record type, such as `customer`.',
	schema: text
};
const ID = {
	name: 'id',
	in: 'path',
	required: true,
	description: 'Number of a record.',
	schema: { type: 'string', pattern: '^\\d{1,18}$' }
};

const PERSON = {
	name: 'id',
	in: 'path',
	required: true,
	description: 'Number of a person.',
	schema: { type: 'string', pattern: '^\\d{1,18}$' }
};
/** People are for administrators, by tokens that reach all record types. */
const OF_PEOPLE = {
	'400': answer(
		'Input that cannot be read, or that stands against another person.',
		ref('Message')
	),
	'401': REFUSALS['401'],
	'403': answer(
		'The role of the token does not reach, or it is for some record types.',
		ref('Message')
	),
	'404': answer('There is nobody by this number.', ref('Message')),
	'503': REFUSALS['503']
};

/** The document. @param base address of this server */
export const openApi = (base: string) => ({
	openapi: '3.1.0',
	info: {
		title: 'Rigid Rule',
		version: '1.0.0',
		description:
			'Records are created and changed by the same rules as in forms and imports: those of the release in force. Fields are named by identity; numbers are given as text, so that no digit is lost.'
	},
	servers: [{ url: base }],
	security: [{ token: [] }],
	paths: {
		'/api/v1/records/{type}': {
			parameters: [TYPE],
			post: {
				operationId: 'createRecord',
				summary: 'Creates a record',
				parameters: [KEY],
				requestBody: {
					required: true,
					content: json(ref('Submission'), {
						values: { trading_name: 'Ferry Herbs', headcount: 51 }
					})
				},
				responses: {
					'201': answer('Created.', ref('Outcome'), { ...ETAG, ...REPLAYED }),
					...REFUSALS
				}
			}
		},
		'/api/v1/records/{type}/{id}': {
			parameters: [TYPE, ID],
			get: {
				operationId: 'readRecord',
				summary: 'A record, with who set each value',
				responses: {
					'200': answer('The record.', ref('Record'), ETAG),
					'401': REFUSALS['401'],
					'403': REFUSALS['403'],
					'404': answer('There is no such record.', ref('Message')),
					'503': REFUSALS['503']
				}
			},
			patch: {
				operationId: 'changeRecord',
				summary: 'Changes a record',
				parameters: [
					KEY,
					{
						name: 'If-Match',
						in: 'header',
						description:
							'The ETag of the record as it was seen; another version is refused with 412.',
						schema: text
					}
				],
				requestBody: {
					required: true,
					content: json(ref('Submission'), { values: { headcount: '9.5' }, keep: [] })
				},
				responses: {
					'200': answer('Changed.', ref('Outcome'), { ...ETAG, ...REPLAYED }),
					...REFUSALS,
					'409': answer('Somebody else changed it since `version`.', ref('Refusal')),
					'412': answer('It is not the version of `If-Match`.', ref('Refusal'))
				}
			}
		},
		'/api/v1/bundle': {
			get: {
				operationId: 'takeOutBundle',
				summary: 'The draft or a release as a bundle, for checks elsewhere',
				parameters: [
					{
						name: 'of',
						in: 'query',
						description: '`draft`, or the number of a release.',
						schema: { type: 'string', default: 'draft' }
					}
				],
				responses: {
					'200': answer('As docs/schema/bundle.json has it.', {
						type: 'object',
						required: ['format', 'version', 'name', 'rules', 'order', 'model', 'trials', 'records'],
						properties: { format: { const: 'rigid-rule/bundle' }, version: { type: 'integer' } }
					}),
					'401': REFUSALS['401'],
					'403': REFUSALS['403'],
					'404': answer('There is no such release.', ref('Message')),
					'503': REFUSALS['503']
				}
			}
		},
		'/api/v1/tables/{id}/rows': {
			parameters: [
				{
					name: 'id',
					in: 'path',
					required: true,
					description: 'Identity of a reference table, such as `district_postcodes`.',
					schema: text
				}
			],
			get: {
				operationId: 'readTable',
				summary: 'A reference table as it is in force, with its rows',
				responses: {
					'200': answer('The table.', ref('Table')),
					'401': REFUSALS['401'],
					'403': REFUSALS['403'],
					'404': answer('There is no such table in force.', ref('Message')),
					'503': REFUSALS['503']
				}
			},
			patch: {
				operationId: 'editRows',
				summary: 'Edits rows of a living table, found by their keys; they are in force at once',
				requestBody: {
					required: true,
					content: json(ref('RowsSent'), {
						rows: [{ country: 'poland', begins: '98', district: '1' }],
						remove: [{ country: 'poland', begins: '99' }],
						why: 'A new yard'
					})
				},
				responses: {
					'200': answer('What it came to.', ref('RowsTaken')),
					'400': answer('Rows that do not fit, or too many at once.', ref('Message')),
					'401': REFUSALS['401'],
					'403': answer('The token does not reach, or the table is not theirs.', ref('Message')),
					'404': answer('There is no such table in force.', ref('Message')),
					'409': answer('Somebody else edited some of these rows since.', {
						type: 'object',
						required: ['message', 'overtaken'],
						properties: {
							message: text,
							overtaken: {
								type: 'array',
								items: {
									type: 'object',
									required: ['id', 'stands', 'by', 'at'],
									properties: {
										id: text,
										stands: { anyOf: [ref('Values'), { type: 'null' }] },
										by: nullable('string'),
										at: nullable('string')
									}
								}
							}
						}
					}),
					'503': REFUSALS['503']
				}
			}
		},
		'/api/v1/people': {
			get: {
				operationId: 'listPeople',
				summary: 'Who may sign in, and services',
				responses: {
					'200': answer('All of them, also who was retired.', {
						type: 'object',
						required: ['people'],
						properties: { people: { type: 'array', items: ref('Person') } }
					}),
					'401': OF_PEOPLE['401'],
					'403': OF_PEOPLE['403'],
					'503': OF_PEOPLE['503']
				}
			},
			post: {
				operationId: 'addPerson',
				summary: 'Adds a person',
				requestBody: {
					required: true,
					content: json(
						{
							type: 'object',
							required: ['name', 'email', 'role'],
							additionalProperties: false,
							properties: PERSON_TAKES
						},
						{ name: 'Noor Alder', email: 'noor@quillmere.example', role: 'reader' }
					)
				},
				responses: {
					'201': answer('Added. The password is told here once and changed at the first sign-in.', {
						type: 'object',
						required: ['id', 'password'],
						properties: { id: text, password: text }
					}),
					...OF_PEOPLE
				}
			}
		},
		'/api/v1/people/{id}': {
			parameters: [PERSON],
			get: {
				operationId: 'readPerson',
				summary: 'A person',
				responses: { '200': answer('The person.', ref('Person')), ...OF_PEOPLE }
			},
			patch: {
				operationId: 'changePerson',
				summary: 'Changes, retires or takes back a person',
				requestBody: {
					required: true,
					content: json(
						{
							type: 'object',
							additionalProperties: false,
							properties: { ...PERSON_TAKES, retired: { type: 'boolean' } }
						},
						{ role: 'author' }
					)
				},
				responses: {
					'200': answer('Changed; who is retired signs in nowhere from here on.', ref('Person')),
					...OF_PEOPLE
				}
			}
		},
		'/api/v1/people/{id}/password': {
			parameters: [PERSON],
			post: {
				operationId: 'givePassword',
				summary: 'Gives a person a new password',
				responses: {
					'200': answer('The password, told once; their sessions end.', {
						type: 'object',
						required: ['password'],
						properties: { password: text }
					}),
					...OF_PEOPLE
				}
			}
		},
		'/api/v1/people/{id}/sessions': {
			parameters: [PERSON],
			delete: {
				operationId: 'endSessions',
				summary: 'Ends the sessions of a person',
				responses: {
					'200': answer('How many there were.', {
						type: 'object',
						required: ['ended'],
						properties: { ended: { type: 'integer' } }
					}),
					...OF_PEOPLE
				}
			}
		},
		'/api/v1/batch': {
			post: {
				operationId: 'batch',
				summary: 'Creates and changes several records',
				parameters: [KEY],
				requestBody: {
					required: true,
					content: json(ref('Batch'), {
						allOrNothing: false,
						records: [
							{ type: 'customer', values: { trading_name: 'Ferry Herbs', headcount: 51 } },
							{ type: 'customer', id: '1', values: { headcount: 'many' } }
						]
					})
				},
				responses: {
					'200': answer('What became of each.', ref('BatchOutcome'), REPLAYED),
					...REFUSALS,
					'409': answer('Somebody else changed one of them.', ref('Refusal'))
				}
			}
		}
	},
	components: {
		securitySchemes: {
			token: {
				type: 'http',
				scheme: 'bearer',
				description: 'Made under Settings, for a person or a service.'
			}
		},
		schemas: {
			Value: {
				description:
					'Blank is null; numbers as number or text; yes/no as boolean; options by identity, label or code; a set of options as a list; dates as 2026-11-23; a link by number, or by a key of the record it points to.',
				anyOf: [
					{ type: ['null', 'boolean', 'number', 'string'] },
					{ type: 'array', items: text, maxItems: 1000 },
					{ type: 'object', additionalProperties: { type: ['string', 'number'] } }
				]
			},
			Values: { type: 'object', additionalProperties: ref('Value') },
			Submission: {
				type: 'object',
				required: ['values'],
				additionalProperties: false,
				properties: {
					values: ref('Values'),
					keep: {
						type: 'array',
						items: text,
						description: 'Fields whose value stands against rules that people may overrule.'
					},
					version: { type: 'integer', description: 'The version that was seen.' }
				}
			},
			Batch: {
				type: 'object',
				required: ['allOrNothing', 'records'],
				additionalProperties: false,
				properties: {
					allOrNothing: {
						type: 'boolean',
						description: 'One change of all records, or each for itself.'
					},
					records: {
						type: 'array',
						minItems: 1,
						maxItems: MAX_BATCH,
						items: {
							type: 'object',
							required: ['type', 'values'],
							additionalProperties: false,
							properties: {
								type: text,
								id: { ...nullable('string'), description: 'Absent or null for a new record.' },
								values: ref('Values'),
								keep: { type: 'array', items: text },
								version: { type: 'integer' }
							}
						}
					}
				}
			},
			Outcome: {
				type: 'object',
				required: [
					'type',
					'id',
					'version',
					'release',
					'created',
					'values',
					'changes',
					'setAside',
					'failures',
					'nothing',
					'messages',
					'reached',
					'sent',
					'pending'
				],
				properties: {
					type: text,
					id: text,
					version: { type: 'integer' },
					release: { type: 'integer', description: 'The release that decided.' },
					created: { type: 'boolean' },
					values: ref('Values'),
					changes: {
						type: 'array',
						items: {
							type: 'object',
							required: ['field', 'from', 'to', 'rule', 'because'],
							properties: {
								field: text,
								from: ref('Value'),
								to: ref('Value'),
								rule: nullable('string'),
								because: nullable('string'),
								typed: ref('Value')
							}
						}
					},
					setAside: {
						type: 'array',
						description: 'What was sent and does not stand, and why.',
						items: {
							type: 'object',
							required: ['field', 'sent', 'stands', 'rule', 'why'],
							properties: {
								field: text,
								sent: ref('Value'),
								stands: ref('Value'),
								rule: text,
								why: text
							}
						}
					},
					failures: { type: 'array', items: ref('AtField') },
					nothing: {
						type: 'array',
						items: {
							type: 'object',
							required: ['field', 'rule', 'because'],
							properties: { field: text, rule: text, because: text }
						}
					},
					messages: { type: 'array', description: 'Advice of checks.', items: ref('AtField') },
					reached: {
						type: 'array',
						description: 'Other records that the change ran on to.',
						items: {
							type: 'object',
							required: ['type', 'id', 'fields'],
							properties: { type: text, id: text, fields: { type: 'array', items: text } }
						}
					},
					sent: { type: 'integer', description: 'Messages to people that left with it.' },
					pending: { type: 'integer', description: 'Records that it runs on to afterwards.' }
				}
			},
			AtField: {
				type: 'object',
				required: ['field', 'rule', 'message'],
				properties: { field: text, rule: text, message: text }
			},
			Record: {
				type: 'object',
				required: ['type', 'id', 'version', 'values', 'setBy', 'pending'],
				properties: {
					type: text,
					id: text,
					version: { type: 'integer' },
					values: ref('Values'),
					setBy: { type: 'object', additionalProperties: { type: 'object' } },
					pending: { type: 'boolean', description: 'A change elsewhere is still to reach it.' }
				}
			},
			Table: {
				type: 'object',
				required: ['table', 'label', 'living', 'edit', 'columns', 'keys', 'rows'],
				properties: {
					table: text,
					label: text,
					living: {
						type: 'boolean',
						description: 'Its rows are edited by themselves; else they come with a release.'
					},
					edit: {
						type: ['integer', 'null'],
						description: 'The last edit of its rows, to be sent along with the next.'
					},
					columns: {
						type: 'array',
						items: {
							type: 'object',
							required: ['id', 'label', 'type'],
							properties: { id: text, label: text, type: text }
						}
					},
					keys: { type: 'array', items: text, description: 'Columns that a row is found by.' },
					rows: { type: 'array', items: ref('Values'), description: 'Without what is blank.' }
				}
			},
			RowsSent: {
				type: 'object',
				additionalProperties: false,
				properties: {
					rows: {
						type: 'array',
						items: ref('Values'),
						description:
							'Rows that are to be there; columns that they do not name stay as they are.'
					},
					remove: {
						type: 'array',
						items: ref('Values'),
						description: 'Rows that are not to be there, by their keys.'
					},
					why: { type: 'string', maxLength: 500 },
					brings: {
						type: 'boolean',
						description: 'The records that they concern are brought into line.'
					},
					edit: {
						type: 'integer',
						minimum: 1,
						description: 'The edit that was seen: rows that somebody edited since are refused.'
					}
				}
			},
			RowsTaken: {
				type: 'object',
				required: ['edit', 'added', 'changed', 'removed', 'notThere'],
				properties: {
					edit: {
						type: ['integer', 'null'],
						description: 'Null where all of it stood already.'
					},
					added: { type: 'integer' },
					changed: { type: 'integer' },
					removed: { type: 'integer' },
					notThere: {
						type: 'array',
						items: { type: 'integer' },
						description: 'Places in `remove` of which no row was found.'
					}
				}
			},
			Person: {
				type: 'object',
				required: ['id', 'name', 'email', 'role', 'person', 'service', 'retired', 'mustChange'],
				properties: {
					id: text,
					name: text,
					email: { ...nullable('string'), description: 'Null for a service.' },
					role: { enum: [...ROLES] },
					person: nullable('string'),
					service: {
						type: 'boolean',
						description: 'A program: it has tokens and signs in nowhere.'
					},
					retired: { ...nullable('string'), description: 'Since when, ISO 8601.' },
					mustChange: { type: 'boolean', description: 'The password is one that was told.' }
				}
			},
			BatchOutcome: {
				type: 'object',
				required: ['results'],
				properties: {
					results: {
						type: 'array',
						items: {
							anyOf: [
								ref('Outcome'),
								{
									type: 'object',
									required: ['status', 'outcome'],
									properties: { status: { enum: [200, 201] }, outcome: ref('Outcome') }
								},
								{
									type: 'object',
									required: ['status', 'message', 'faults'],
									properties: {
										status: { type: 'integer' },
										message: text,
										faults: { type: 'array', items: ref('Fault') }
									}
								}
							]
						}
					}
				}
			},
			Fault: {
				type: 'object',
				required: ['field', 'message'],
				properties: { field: nullable('string'), message: text }
			},
			Refusal: {
				type: 'object',
				required: ['message'],
				properties: {
					message: text,
					faults: { type: 'array', items: ref('Fault') },
					index: { type: 'integer', description: 'Zero-based place of the record that refuses.' },
					current: {
						type: 'object',
						description: 'On a conflict, the record as it is stored now.',
						properties: { version: { type: 'integer' }, values: ref('Values') }
					}
				}
			},
			Message: {
				type: 'object',
				required: ['message'],
				properties: { message: text, again: { type: 'number', description: 'Seconds.' } }
			}
		}
	}
});
