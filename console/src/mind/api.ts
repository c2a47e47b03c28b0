/** Talking to the service: types from its OpenAPI document, one fetcher, problems as errors. */
import { t } from '@lingui/core/macro';
import type { components } from './api.gen';
import { spoken } from './language';

type Shapes = components['schemas'];
export type Me = Shapes['Me'];
export type Portfolio = Shapes['Portfolio'];
export type PortfolioRow = Shapes['PortfolioRow'];
export type TemplateOut = Shapes['TemplateOut'];
export type ReportOut = Shapes['ReportOut'];
export type ReportLook = Shapes['ReportLook'];
export type BlockLook = Shapes['BlockLook'];
export type EditionOut = Shapes['EditionOut'];
export type BlockSpec = Shapes['BlockSpec'];
export type BlockAbout = Shapes['BlockAbout'];
export type ReportBody = Shapes['ReportBody'];
export type ReportDraft = Shapes['ReportDraft'];
export type AgencyLookOut = Shapes['AgencyLookOut'];
export type ShareOut = Shapes['ShareOut'];
export type NewShare = Shapes['NewShare'];
export type DueLine = Shapes['DueLine'];
export type DeliveryOut = Shapes['DeliveryOut'];
export type TestMailSent = Shapes['TestMailSent'];
export type EditionRevised = Shapes['EditionRevised'];
export type ColumnRole = NonNullable<Shapes['AskKeywordFile']['columns']>[string];
export type PlaceOut = Shapes['PlaceOut'];
export type RanksTogether = Shapes['RanksTogether'];
export type SiteSummary = Shapes['SiteSummary'];
export type Site = Shapes['Site'];
export type AlertOut = Shapes['AlertOut'];
export type AlertRule = Shapes['Rule'];
export type AlertRuleOut = Shapes['AlertRuleOut'];
export type NewAlertRule = Shapes['NewAlertRule'];
export type WebhookOut = Shapes['WebhookOut'];
export type WebhookMade = Shapes['WebhookMade'];
export type NewWebhook = Shapes['NewWebhook'];
export type DigestOut = Shapes['DigestOut'];
export type DigestChange = Shapes['DigestChange'];
export type Monthly = Shapes['Monthly'];
export type MonthlyStep = Shapes['MonthlyStep'];
export type MonthlyAtAGlance = Shapes['MonthlyAtAGlance'];
export type AlertChange = Shapes['AlertChange'];
export type Fleet = Shapes['Fleet'];
export type FleetEvent = Shapes['FleetEvent'];
export type Town = Shapes['Town'];
export type PageValue = Shapes['PageValue'];
export type Source = Shapes['Source'];
export type UserOut = Shapes['UserOut'];
export type SignInOut = Shapes['SignInOut'];
export type TokenOut = Shapes['TokenOut'];
export type PasskeyOut = Shapes['PasskeyOut'];
export type TokenMade = Shapes['TokenMade'];
export type Property = Shapes['Property'];
export type Job = Shapes['Job'];
export type Timeline = Shapes['Timeline'];
export type Outcomes = Shapes['Outcomes'];
export type Sentence = Shapes['Sentence'];
export type Backed = Shapes['Backed'];
export type Point = Shapes['Point'];
export type Figures = Shapes['Figures'];
export type Change = Shapes['Change'];
export type Breakdown = Shapes['Breakdown'];
export type Row = Shapes['Row'];
export type RestRow = Shapes['RestRow'];
export type Drivers = Shapes['Drivers'];
export type DriverRow = Shapes['DriverRow'];
export type Life = Shapes['Life'];
export type Ledger = Shapes['Ledger'];
export type LedgerDay = Shapes['LedgerDay'];
export type Caution = Shapes['Caution'];
export type DayMaking = Shapes['DayMaking'];
export type GrainDay = Shapes['GrainDay'];
export type DayChange = Shapes['DayChange'];
export type Reconciliation = Shapes['Reconciliation'];
export type SourceTotals = Shapes['SourceTotals'];
export type Notice = Shapes['Notice'];
export type Client = Shapes['Client'];
export type BroughtIn = Shapes['BroughtIn'];
export type Erased = Shapes['Erased'];
export type VerifyDone = Shapes['VerifyDone'];
export type ImportDone = Shapes['ImportDone'];
export type FileMade = Shapes['FileMade'];
export type Grant = Shapes['Grant'];
export type GrantBegun = Shapes['GrantBegun'];
export type Upload = Shapes['Upload'];
export type ImportPreview = Shapes['ImportPreview'];
export type ImportColumn = Shapes['ImportColumn'];
export type Mapping = Shapes['Mapping'];
export type NamedMapping = Shapes['NamedMapping'];
export type Judgements = Shapes['Judgements'];
export type Mover = Shapes['Mover'];
export type Judgement = Shapes['Judgement'];
export type Verdict = Judgement['verdict'];
export type Reach = Shapes['Reach'];
export type Overlap = Shapes['Overlap'];
export type Weekdays = Shapes['Weekdays'];
export type Unclicked = Shapes['Unclicked'];
export type DeviceGap = Shapes['DeviceGap'];
export type Clusters = Shapes['Clusters'];
export type OddDays = Shapes['OddDays'];
export type OddDay = Shapes['OddDay'];
export type Cross = Shapes['Cross'];
export type BandCounts = Shapes['BandCounts'];
export type SetOut = Shapes['SetOut'];
export type FilterTry = Shapes['FilterTry'];
export type BrandTry = Shapes['BrandTry'];
export type BrandTested = Shapes['BrandTested'];
export type BrandVariant = Shapes['BrandVariant'];
export type NoteOut = Shapes['NoteOut'];
export type NoteEffect = Shapes['NoteEffect'];
export type NotesTaken = Shapes['NotesTaken'];
export type Ladder = Shapes['Ladder'];
export type LadderRow = Shapes['LadderRow'];
export type LadderStep = Shapes['LadderStep'];
export type RankPoint = Shapes['RankPoint'];
export type RankSummary = Shapes['RankSummary'];
export type KeywordOut = Shapes['KeywordOut'];
export type KeywordHistory = Shapes['KeywordHistory'];
export type RankDay = Shapes['RankDay'];
export type KeywordsTaken = Shapes['KeywordsTaken'];
export type KeywordFileTaken = Shapes['KeywordFileTaken'];
export type KeywordsChanged = Shapes['KeywordsChanged'];
export type LookupCost = Shapes['Cost'];
export type Suggestion = Shapes['Suggestion'];
export type CaptureLine = Shapes['CaptureLine'];
export type Capture = Shapes['Capture'];
export type ShareOfVoice = Shapes['ShareOfVoice'];
export type VoiceRow = Shapes['VoiceRow'];
export type DomainReading = Shapes['DomainReading'];
export type ResultFeatures = Shapes['ResultFeatures'];
export type FeatureEffect = Shapes['FeatureEffect'];
export type FeatureOwners = Shapes['FeatureOwners'];
export type OwnedKeyword = Shapes['OwnedKeyword'];
export type OwnerRow = Shapes['OwnerRow'];
export type CrossChecks = Shapes['CrossChecks'];
export type CompetitorOut = Shapes['CompetitorOut'];
export type GridOut = Shapes['GridOut'];
export type NewGrid = Shapes['NewGrid'];
export type LocalGrid = Shapes['LocalGrid'];
export type DeviceRanks = Shapes['DeviceRanks'];
export type ProblemBody = Shapes['Problem'];
export type ReadingAbout = Shapes['ReadingAbout'];
export type DatasetAbout = Shapes['DatasetAbout'];
export type MeasureAbout = Shapes['MeasureAbout'];
export type ParameterAbout = Shapes['ParameterAbout'];
export type ColumnAbout = Shapes['ColumnAbout'];
export type WorkOut = Shapes['WorkOut'];
export type WorkTaken = Shapes['WorkTaken'];
export type Worked = Shapes['Worked'];
export type Feeds = Shapes['Feeds'];
export type FeatureTurns = Shapes['FeatureTurns'];
export type TargetOut = Shapes['TargetOut'];
export type TargetRow = Shapes['TargetRow'];
export type TargetRead = Shapes['TargetRead'];
export type TargetPoint = Shapes['TargetPoint'];
export type CourseRead = Shapes['CourseRead'];
export type TrialOut = Shapes['TrialOut'];
export type TrialRead = Shapes['TrialRead'];
export type TrialWeek = Shapes['TrialWeek'];
export type TrialPlan = Shapes['TrialPlan'];
export type CalendarOut = Shapes['CalendarOut'];
export type State = Point['state'];
export type Measure = 'clicks' | 'impressions' | 'ctr' | 'position';
export type Dimension = 'query' | 'page' | 'country' | 'device' | 'kind' | 'look';

/** Says what the service said no with, or that it could not be reached. */
export class Trouble extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly remedy: string,
    readonly status: number,
    readonly where = '',
    /** What is wrong with single fields of what was asked, by their names. */
    readonly fields: Readonly<Record<string, string>> = {},
  ) {
    super(message);
  }
}

let csrf = '';

export function rememberCsrf(token: string | null): void {
  csrf = token ?? '';
}

export type Params = Record<string, string | number | undefined>;

export function address(path: string, params: Params = {}): string {
  const search = new URLSearchParams();
  for (const [name, value] of Object.entries(params)) {
    if (value !== undefined && value !== '') search.set(name, String(value));
  }
  const text = search.toString();
  return `/api/v1${path}${text ? `?${text}` : ''}`;
}

/** Addresses longer than this are cut off by much that stands between; such a question is sent as a body. */
const LONGEST_ADDRESS = 1900;

export async function ask<T>(path: string, params: Params = {}, init: RequestInit = {}): Promise<T> {
  if (!init.method && address(path, params).length > LONGEST_ADDRESS) {
    const asked = Object.fromEntries(Object.entries(params).filter(([, value]) => value !== undefined && value !== ''));
    return ask<T>(path, {}, { ...init, method: 'POST', body: JSON.stringify(asked) });
  }
  const answer = await patiently(() => fetched(path, params, init));
  if (!answer.ok) throw await trouble(answer);
  if (answer.status === 204) return undefined as T;
  return (answer.headers.get('Content-Type')?.includes('json') ? await answer.json() : await answer.blob()) as T;
}

/** How often something that is too busy to begin is asked once more before a reader is told. */
const TURNS = 6;

/** Asks again, when told to, what the service was too busy to begin: nothing of it was done, so it may be repeated. */
async function patiently(fetching: () => Promise<Response>): Promise<Response> {
  for (let turn = 1; ; turn += 1) {
    const answer = await fetching();
    const wait = Number(answer.headers.get('Retry-After'));
    if (answer.status !== 503 || !wait || turn === TURNS) return answer;
    await new Promise((later) => setTimeout(later, wait * 1000));
  }
}

async function fetched(path: string, params: Params, init: RequestInit): Promise<Response> {
  try {
    return await fetch(address(path, params), {
      ...init,
      headers: {
        Accept: 'application/json',
        'Accept-Language': spoken(),
        ...(init.body ? { 'Content-Type': 'application/json' } : {}),
        ...(init.method ? { 'X-CSRF-Token': csrf } : {}),
        ...(init.headers as Record<string, string> | undefined),
      },
    });
  } catch {
    throw new Trouble(
      'unreachable',
      t`The service cannot be reached.`,
      t`It may be restarting; this page tries again.`,
      0,
    );
  }
}

async function trouble(answer: Response): Promise<Trouble> {
  try {
    const body = (await answer.json()) as ProblemBody;
    const fields = Object.fromEntries((body.fields ?? []).map((each) => [each.field, each.why]));
    return new Trouble(body.code, body.title, body.remedy ?? '', answer.status, body.where ?? '', fields);
  } catch {
    return new Trouble('http-error', t`The service answered ${answer.status}.`, '', answer.status);
  }
}

/** Sends a file as it is, telling how much of it is gone. */
export function upload(file: File, told: (share: number) => void): Promise<Upload> {
  return new Promise((done, failed) => {
    const request = new XMLHttpRequest();
    request.open('POST', address('/uploads', { name: file.name }));
    request.setRequestHeader('X-CSRF-Token', csrf);
    request.setRequestHeader('Accept-Language', spoken());
    request.setRequestHeader('Content-Type', 'application/octet-stream');
    request.upload.onprogress = (event) => told(event.total ? event.loaded / event.total : 0);
    request.onerror = () =>
      failed(new Trouble('unreachable', t`The file could not be sent.`, t`Check the connection and send it again.`, 0));
    request.onload = () => {
      const body = JSON.parse(request.responseText || '{}') as Upload & ProblemBody;
      if (request.status === 201) done(body);
      else
        failed(
          new Trouble(
            body.code ?? 'http-error',
            body.title ?? t`The service answered ${request.status}.`,
            body.remedy ?? '',
            request.status,
          ),
        );
    };
    request.send(file);
  });
}

export function send<T>(
  method: 'POST' | 'PATCH' | 'PUT' | 'DELETE',
  path: string,
  body?: unknown,
  headers?: Record<string, string>,
): Promise<T> {
  return ask<T>(
    path,
    {},
    { method, ...(body === undefined ? {} : { body: JSON.stringify(body) }), ...(headers ? { headers } : {}) },
  );
}

/** Changes a kept record, unless somebody else has changed it since it was seen. */
export function change<T>(path: string, seen: { tag?: string }, body: unknown): Promise<T> {
  return send<T>('PATCH', path, body, seen.tag ? { 'If-Match': `"${seen.tag}"` } : undefined);
}

/** A site's part of an address; a path in its key is written with ~. */
export function siteKey(site: string): string {
  return encodeURIComponent(site.replaceAll('/', '~'));
}
