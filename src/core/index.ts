/**
 * The core's only door: what a program needs to read rules, settle changes with them, say why, and
 * prove mistakes, with the types of all of it. It has no interface, no database, no clock and no
 * network of its own; the same calls decide in a browser, a worker, the server and a command line.
 *
 * `docs/core.md` is its page for readers, with a short program that runs. What an editor of formulas
 * asks beyond this (their texts, faults and types) is in `feel/language`.
 */

// ── Documents: what is stored, all JSON ──────────────────────────────────────────────────────────
export { canonicalJson } from './document/canonical';
export { FORMAT, FormatError, upgraded, type DocumentKind } from './document/format';
export type { JsonValue } from './document/json';
export {
	FIELD_TYPES,
	KEY_TYPES,
	MISSING_KEYS,
	isIdentity,
	refKey,
	type Definition,
	type Field,
	type FieldRef,
	type FieldType,
	type MissingKey,
	type Model,
	type OptionList,
	type RecordType,
	type ReferenceTable,
	Schema,
	type TableColumn,
	type TableKey,
	isNumeric
} from './document/model';
export {
	ENTRY_LABEL,
	ENTRY_POINTS,
	ROAD_LABEL,
	ROADS,
	FIELD_STATES,
	HIT_POLICIES,
	HIT_SAYS,
	HOLD_VERB,
	MATCH_HOWS,
	MESSAGES,
	MOMENTS,
	ONCE_LABEL,
	ONCE_PER,
	claimId,
	type Acceptance,
	type Body,
	type CaseGives,
	type CasesBody,
	type Cell,
	type DecisionBody,
	type DecisionRow,
	type EntryPoint,
	type Road,
	type FieldState,
	type Formula,
	type HitPolicy,
	type Hold,
	type Kind,
	type Limit,
	type LookupBody,
	type MatchBody,
	type MatchHow,
	type MessageBody,
	type MomentName,
	type NoResult,
	type OncePer,
	type Output,
	type Rule,
	type RuleSet
} from './document/rules';
export type { Expr, Template } from './document/tree';

// ── Values: exact, and the same read from JSON, from typed text and from records ─────────────────
export { fromJson, fromText, isText, misfit, toJson } from './fields/codec';
export { converted, type Titles } from './fields/convert';
export type { Reading } from './fields/codec';
export { readDay, readMoment, typedMoment } from './fields/days';
export { matchHows, matchKey, type MatchKey } from './fields/match';
export { looseKey } from './text/loose';
export { shortened } from './text/shortened';
export { Num, add, compareNum, div, mul, num, parseNum, roundTo, sub } from './value/num';
export { isKeptName, own } from './value/own';
export { LocalDate, Moment, type ZoneClock } from './value/temporal';
export { isBlank, isContext, isList, same, show, type Value } from './value/value';

// ── Tables ───────────────────────────────────────────────────────────────────────────────────────
export { editsByKey, type RowsByKey, type SentRow, type SentRows } from './tables/by-key';
export {
	cellFault,
	cellText,
	doubledRows,
	readCellText,
	rowsFromCells,
	tableToCells
} from './tables/cells';
export { MAX_DECISION_INPUTS, MAX_DECISION_ROWS, readCell, rowType } from './tables/decision';
export { pickedIn, testsOf, type Picked, type PickedFrom } from './tables/options';
export {
	beyond,
	cellsOf,
	countEdits,
	editedRows,
	stepped,
	editsBetween,
	keyColumns,
	rowFaults,
	sameCells,
	tablesWithRows,
	turnedBack,
	withRows,
	withoutRows,
	type LivingRow,
	type RowsStep,
	type LivingRows,
	type RowEdit
} from './tables/living';
export { MAX_COLUMNS, MAX_ROWS, indexTable } from './tables/reference';

// ── Conditions: a tree, and the list that shows it ───────────────────────────────────────────────
export { constantOf, constantTree } from './conditions/constants';
export {
	HOLE,
	conditionItemTree,
	conditionLeaves,
	conditionList,
	conditionTree,
	fieldOfSubject,
	isOwnField,
	kindOfField,
	kindOfSubject,
	openRow,
	withAdded,
	withHow,
	withItem,
	withOperand,
	withRelation,
	withSubject,
	withoutItem,
	type ConditionGroup,
	type ConditionItem,
	type ConditionPath,
	type ConditionRow,
	type How
} from './conditions/list';
export {
	RELATIONS,
	daysOf,
	daysTree,
	relationOf,
	relationsFor,
	type OperandKind,
	type Relation
} from './conditions/relations';
export {
	ROLLUPS,
	rollupFits,
	rollupLabel,
	rollupOf,
	rollupTree,
	type Rollup,
	type RollupHow
} from './conditions/rollup';
export { waysFrom, type WayTo } from './conditions/ways';
export { sayCondition, sayGiven, sayRow, sayWay, type SayValue } from './conditions/words';

// ── Compile: a rule set becomes an ordered plan, or says what is wrong and where ─────────────────
export { bandOf, bandText } from './kinds/band';
export { undecidedReads } from './kinds/formula';
export { cellsTried } from './kinds/table-cells';
export {
	kindOf,
	limitsOf,
	mapBody,
	refusesWhenFailing,
	offersAt,
	sheetOf,
	withoutOutput,
	writerOf
} from './kinds';
export type { Begins, BodyKind, BodyOf, Offer, Place, SaidPart } from './kinds/spec';
export {
	compilePlan,
	joinPlans,
	lockedOnly,
	openField,
	ruleOf,
	rulesOfRecord,
	withoutResult,
	type Plan
} from './plan/plan';
export { compileChoice, type CompiledChoice, type PilotChoice } from './pilot/pilot';
export { around, flowOf, type FlowRead, type FlowRule } from './plan/flow';
export { usesOf, type Use } from './plan/uses';

// ── Settle: a change, all that follows from it, and the evidence ─────────────────────────────────
export { Gathered, needKey, type Fetched } from './settle/gathered';
export { ENDS, FIRST, NONE_ROLLED, addedUp } from './settle/rolling';
export type { RollUp, Rolled } from './feel/env';
export {
	MOST_REACHED,
	searchKey,
	settle,
	type Change,
	type ClaimReport,
	type Deferred,
	type Loader,
	type Need,
	type Outcome,
	type SetAside,
	type Settled,
	type SettledRecord,
	type SubmittedRecord
} from './settle/settle';

// ── Explain ──────────────────────────────────────────────────────────────────────────────────────
export { cameToNothing, toldOf } from './explain/nothing';
export { plainFormat, reason, type Format } from './explain/reason';

// ── Try: changes with what they are to give ──────────────────────────────────────────────────────
export {
	NOTHING_ELSE,
	nearLoader,
	recordsLoader,
	submissionOf,
	valuesFromJson,
	valuesToJson
} from './trials/records';
export {
	keepingRows,
	runTrial,
	type Expectation,
	type Trial,
	type TrialLine,
	type TrialResult,
	type TrialRow,
	type TrialStep
} from './trials/trials';

export {
	expectingWhatCame,
	plainWords,
	sayCame,
	sayExpectation,
	sayGot,
	stepsOf,
	type TrialWords
} from './trials/words';

// ── Check: mistakes, each proven on a record ─────────────────────────────────────────────────────
export {
	Kept,
	analyse,
	claimCounts,
	isAbout,
	isAccepted,
	mayBeAccepted,
	restsOn,
	standsIn,
	stopsRelease,
	timesOf,
	type Checked,
	type Finding,
	type Overruled,
	type Repair
} from './check/findings';
export { betweenClaims, type Between } from './check/between';
export { FINDINGS, type FindingIs } from './kinds/catalogue';
export { PROBE_DAY } from './check/probe';
export { repaired } from './check/repair';
export { speakersOf, type ModelPart, type Speaker } from './check/speaks';

// ── Cover: what trials try, what nobody tried, and the mistakes that they would notice ───────────
export { cover, type RuleCover } from './cover/cover';
export { limitPoint, partPoint, pointsOf, type Point } from './cover/points';
export { propose, type Proposal } from './cover/propose';
export { strengthOf, type Notice } from './cover/strength';
export type { Slip } from './cover/alter';

// ── Edit ───────────────────────────────────────────────────────────────────────────────────────────
export {
	acceptedAs,
	applied,
	at as standsAt,
	editBetween,
	forced,
	modelEditBetween,
	partName,
	reversed,
	touched,
	type Edit,
	type Path,
	type Piece
} from './edit/edit';
export {
	asType,
	freeOtherSide,
	holdsTheSame,
	lossesBetween,
	modelPartName,
	newModelFaults,
	withField,
	withFieldAt,
	withList,
	withNewField,
	withNewList,
	withNewOptions,
	withNewType,
	withOption,
	withOptionAt,
	withType,
	withTypeAt,
	withoutField,
	withoutList,
	withoutOption,
	withoutType,
	type ModelFault,
	type ModelLoss
} from './edit/model';
export { copiedTo, copiesTo, duplicated, freeName, namesakes } from './edit/copies';

// ── Bundle: everything that decides values, carried into another workspace ──────────────────────
export { recordsNamed, type Bundle, type KnownRecord } from './bundle/bundle';
export { Carrier, type Identities } from './bundle/identities';
export {
	identitiesOf,
	meet,
	type Choices,
	type Meeting,
	type MeetingPart,
	type BundleSide
} from './bundle/meet';
export { modelOffers, modelWith, type ModelOffer } from './bundle/model';
export { partKey, trialsAgainst, withTaken, withUsed } from './bundle/take';

// ── Suggest: rules that the records themselves propose ───────────────────────────────────────────
export {
	MOST_STUDIED,
	MOST_SUGGESTIONS,
	suggest,
	type Evidence,
	type Suggestion,
	type Suggestions
} from './suggest/suggest';
export type { SuggestedHow } from './suggest/study';

// ── Compare ──────────────────────────────────────────────────────────────────────────────────────
export { changedRules } from './compare/rules';
export {
	cameAlike,
	compareVersions,
	noteOf,
	trialsApart,
	type Compared,
	type Version
} from './compare/sets';
export { differing, type Differing } from './compare/differing';
export { touchedTrials } from './compare/touched';
export {
	Linked,
	askedOf,
	glance,
	glancing,
	rehearseRecord,
	rehearsing,
	type Move,
	type Rehearsed,
	type RehearsedRecord,
	type Rehearsing
} from './rehearse/record';
export { findingFields, type FieldsRead } from './plan/reads';
export {
	inLine,
	lastingClaims,
	lineOf,
	onlyField,
	standingFields,
	type InLine,
	type Lined,
	type LineTold,
	type OutOfLine
} from './rehearse/line';
export { eventFields, givenByEvents, type GivenByEvent, type PastStep } from './rehearse/events';
export { compileSelection, selects, untold, type Selection, type Selector } from './select/select';
export { Replay, type ReplayedChange, type SentChange, type Stood } from './rehearse/replay';
export { Retelling, type LeftOut, type Retold } from './rehearse/retold';
export {
	Tally,
	together,
	type Bins,
	type Rehearsal,
	type RehearsedField,
	type RehearsedRefusal,
	type RehearsedSending,
	type Side
} from './rehearse/count';
export {
	followsFrom,
	surprisesOf,
	unmet,
	unrehearsed,
	type FollowsFrom,
	type Surprise,
	type Unrehearsed
} from './rehearse/surprises';
export { decisionOf } from './compare/decision';
export { typeName, type DecisionForm, type DecisionTableForm } from './kinds/decision';
export { differences, sayRule, type Difference } from './compare/words';
