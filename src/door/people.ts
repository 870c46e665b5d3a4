/** People of a workspace. */
import * as yup from 'yup';
import { check } from './check';
import { only, text, word } from './parts';
import { ROLES, type Role } from './rights';

const personName = () =>
	text(80)
		.trim('${path} has no space before or behind it')
		.matches(/^\P{Cc}*$/u, '${path} must be one line');
const personEmail = () => text(200).email('${path} must be an e-mail address');
const personRole = () => word(ROLES);
const personRecord = () =>
	yup
		.string()
		.strict()
		.nullable()
		.matches(/^\d{1,18}$/, '${path} must be a record number, or null');

/** A person to add. @throws {BadInput} naming the place */
export const checkNewPerson = (v: unknown) =>
	check<{ name: string; email: string; role: Role; person?: string | null }>(
		only({
			name: personName().required(),
			email: personEmail().required(),
			role: personRole().required(),
			person: personRecord()
		}),
		v
	);

/** What changes in a person. @throws {BadInput} naming the place */
export const checkPersonChange = (v: unknown) =>
	check<{ name?: string; email?: string; role?: Role; person?: string | null; retired?: boolean }>(
		only({
			name: personName().optional(),
			email: personEmail().optional(),
			role: personRole().optional(),
			person: personRecord(),
			retired: yup.boolean().strict()
		}),
		v
	);
