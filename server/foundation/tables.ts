/* Written by `npm run tables` from the migrations; a test holds it to them. Change a table by a migration. */
import type { Knex } from 'knex';

/** 1 for yes, 0 for no. */
type Flag = number;
/** A row as it may be written: a flag by its truth, nothing at all where the column has a value of its own. */
type Written<Row> = { [Column in keyof Row]?: Row[Column] | boolean | Knex.Raw | undefined };

/** The columns of each table, as rows come. */
export interface Rows {
  address: {
    id: number;
    person_id: number;
    email: string;
    email_key: string;
    current: Flag;
    position: number;
    returned_at: Date | null;
    returned_why: string | null;
    purpose: string;
    new_at: Date | null;
  };
  attempt: {
    id: number;
    what: string;
    who: string;
    at: Date;
  };
  audit: {
    id: number;
    at: Date;
    staff_id: number | null;
    action: string;
    subject: string;
    subject_id: number | null;
    before_value: string | null;
    after_value: string | null;
    import_id: number | null;
    many_id: number | null;
    course_id: number | null;
  };
  change_event: {
    id: number;
    topic:
      | 'records'
      | 'mail'
      | 'sorting'
      | 'mailings'
      | 'mailboxes'
      | 'filing'
      | 'drafts'
      | 'pending'
      | 'imports'
      | 'selections'
      | 'timeline'
      | 'doubles'
      | 'documents'
      | 'paperwork'
      | 'orders'
      | 'tasks'
      | 'reckoning'
      | 'texts'
      | 'collection';
    subject: 'client' | 'file' | 'message' | 'mailbox' | 'mailing' | 'staff' | 'import' | null;
    subject_id: number | null;
    at: Date;
  };
  client: {
    id: number;
    name: string;
    kind: 'person' | 'couple' | 'company' | 'trust' | 'estate' | 'public body';
    status: 'active' | 'past' | 'prospect';
    since: number | null;
    service: string | null;
    place: string;
    postal: string;
    greeting: string | null;
    adviser_id: number | null;
    country: string;
    note: string;
    postcode: string | null;
    counted: Flag;
    reminding: string | null;
  };
  client_field_value: {
    client_id: number;
    field_id: number;
    item: number;
    text_value: string | null;
    number_value: number | null;
    date_value: string | null;
    choice_id: number | null;
    person_link: number | null;
    client_link: number | null;
  };
  client_interest: {
    client_id: number;
    interest_id: number;
  };
  client_person: {
    client_id: number;
    person_id: number;
    role: string;
    position: number;
    writes: Flag;
    new_at: Date | null;
  };
  client_tag: {
    client_id: number;
    tag_id: number;
  };
  collection_apart: {
    upload_id: number;
    position: number;
    bytes: Buffer;
  };
  collection_entry: {
    id: number;
    page_id: number | null;
    client_id: number;
    file_id: number;
    at: Date;
    kind: 'line' | 'came' | 'laid out';
    words: string;
    item_id: number | null;
    upload_id: number | null;
    waits: Flag;
  };
  collection_item: {
    id: number;
    page_id: number;
    file_id: number;
    filename: string;
    mime_type: string;
    size: number;
    hash: Buffer;
    document_id: number | null;
    dispatch_id: number | null;
    version: number;
    replaced_by: number | null;
    laid_at: Date;
    laid_by: number | null;
    until: string;
    withdrawn_at: Date | null;
  };
  collection_page: {
    id: number;
    client_id: number;
    person_id: number;
    serial: number;
    withdrawn_at: Date | null;
    opened_at: Date | null;
    secret: Buffer | null;
    code_count: number;
    code_until: Date | null;
    code_tries: number;
  };
  collection_taken: {
    id: number;
    item_id: number;
    at: Date;
  };
  collection_upload: {
    id: number;
    page_id: number;
    wanted_id: number | null;
    file_id: number;
    filename: string;
    mime_type: string;
    size: number;
    hash: Buffer;
    at: Date;
    state: 'waiting' | 'taken in' | 'refused' | 'taken back';
    why: string;
    settled_at: Date | null;
    settled_by: number | null;
  };
  collection_visit: {
    token_hash: Buffer;
    page_id: number;
    serial: number;
    until: Date;
  };
  collection_wanted: {
    id: number;
    page_id: number;
    file_id: number;
    name: string;
    note: string;
    asked_at: Date;
    asked_by: number | null;
    by_day: string | null;
    came_at: Date | null;
    closed_at: Date | null;
  };
  conversation: {
    id: number;
  };
  copy_gone: {
    id: number;
    mailbox_id: number;
    folder_path: string;
    role: string;
    message_id: number;
    at: Date;
    gone_at: Date;
  };
  delivery: {
    client_id: number;
    kind: 'letters' | 'statements' | 'mailings';
    way: 'email' | 'post' | 'both' | 'none';
    person_id: number | null;
    also_id: number | null;
  };
  dispatch: {
    id: number;
    kind: string;
    mailing_id: number | null;
    draft_id: number | null;
    client_id: number | null;
    person_id: number | null;
    staff_id: number | null;
    mailbox_id: number;
    file_id: number | null;
    to_name: string;
    to_address: string;
    message_id: string;
    facts: string;
    state: 'waiting' | 'going' | 'sent' | 'delayed' | 'returned' | 'uncertain' | 'cancelled';
    attempts: number;
    next_at: Date;
    lease_owner: string | null;
    lease_until: Date | null;
    raw_hash: Buffer | null;
    handed_at: Date | null;
    sent_at: Date | null;
    answer: string | null;
    return_kind: 'hard' | 'soft' | null;
    sent_copy_at: Date | null;
    logged_message_id: number | null;
    answered_message_id: number | null;
    opened_at: Date | null;
    followed_at: Date | null;
    opted_out_at: Date | null;
    refused: string | null;
    sent_uid: number | null;
    piece_id: number | null;
    answered_text_id: number | null;
  };
  dispatch_enclosure: {
    dispatch_id: number;
    document_id: number;
  };
  document: {
    id: number;
    hash: Buffer;
    raw_hash: Buffer | null;
    filename: string;
    name_words: string | null;
    mime_type: string;
    size: number;
    at: Date;
    kind_id: number | null;
    message_id: number | null;
    part: number | null;
    client_id: number | null;
    file_id: number | null;
    staff_id: number | null;
    gone_at: Date | null;
    piece_id: number | null;
    upload_id: number | null;
  };
  document_kind: {
    id: number;
    name: string;
    position: number;
  };
  document_reading: {
    hash: Buffer;
    state: 'waiting' | 'read' | 'unreadable';
    tries: number;
    lease_until: Date | null;
    words: string | null;
  };
  docx_template: {
    id: number;
    title: string;
    owner_id: number;
    filename: string;
    hash: Buffer;
    size: number;
    fields: string;
    matching: string;
    version: number;
    saved_at: Date;
    gone_at: Date | null;
  };
  double_pair: {
    id: number;
    subject: 'client' | 'person';
    client_a: number | null;
    client_b: number | null;
    person_a: number | null;
    person_b: number | null;
    score: number;
    reasons: string;
    dismissed_at: Date | null;
    dismissed_by: number | null;
  };
  draft: {
    id: number;
    staff_id: number;
    mailbox_id: number | null;
    state: 'draft' | 'waiting' | 'sent' | 'thrown';
    how: 'new' | 'reply' | 'all' | 'forward';
    about_id: number | null;
    message_id: string;
    people: string;
    subject: string;
    body: string;
    plain: Flag;
    quoted: string;
    file_ids: string;
    version: number;
    saved_at: Date;
    send_at: Date | null;
    mirrored: number;
    mirrored_in: number | null;
    course_id: number | null;
    waits: string;
    unread: Flag;
  };
  draft_enclosure: {
    id: number;
    draft_id: number;
    filename: string;
    mime_type: string;
    hash: Buffer;
    from_message_id: number | null;
    document_id: number | null;
  };
  fee_note: {
    id: number;
    client_id: number;
    file_id: number | null;
    number: string;
    issued_on: string;
    due_on: string;
    amount: number;
    tax: number;
    paid_on: string | null;
    words: string;
    reminding: string | null;
    heard_step: number;
  };
  field: {
    id: number;
    label: string;
    of: 'client' | 'person' | 'file';
    kind:
      | 'text'
      | 'number'
      | 'date'
      | 'long text'
      | 'money'
      | 'yes or no'
      | 'choice'
      | 'choices'
      | 'person'
      | 'client';
    unit: string;
    position: number;
    gone_at: Date | null;
  };
  field_choice: {
    id: number;
    field_id: number;
    label: string;
    position: number;
  };
  file: {
    id: number;
    number: string;
    title: string;
    client_id: number;
    adviser_id: number | null;
    stage_id: number | null;
    general: Flag;
    opened: string;
    closed: string | null;
    number_length: number | null;
    new_at: Date | null;
  };
  file_field_value: {
    file_id: number;
    field_id: number;
    item: number;
    text_value: string | null;
    number_value: number | null;
    date_value: string | null;
    choice_id: number | null;
    person_link: number | null;
    client_link: number | null;
  };
  file_person: {
    file_id: number;
    person_id: number;
    role: string;
  };
  filing: {
    message_id: number;
    file_id: number;
    at: Date;
    client_id: number;
    spoken: 'client' | 'us' | null;
  };
  filing_sample: {
    week: string;
    message_id: number;
    file_id: number | null;
    verdict: 'right' | 'wrong' | null;
    judged_by: number | null;
    judged_at: Date | null;
  };
  filing_step: {
    id: number;
    staff_id: number;
    at: Date;
    words: string;
    undone_at: Date | null;
    note: string;
  };
  filing_step_message: {
    step_id: number;
    message_id: number;
    before_value: string;
    after_value: string;
    along: Flag;
  };
  folder: {
    id: number;
    mailbox_id: number;
    path: string;
    role: 'inbox' | 'sent' | 'drafts' | 'trash' | 'junk' | 'archive' | 'other';
    uid_validity: number;
    next_uid: number;
    history_uid: number;
    modseq: number;
    on_server: number;
    skipped: Flag;
    checked_at: Date | null;
    path_hash: Buffer | null;
    closed: 'personal' | 'refused' | null;
  };
  happening: {
    id: number;
    kind: string;
    subject: string;
    subject_id: number;
    fact: string | null;
    value: string | null;
    at: Date;
    course_id: number | null;
    heard: number;
  };
  history_taught: {
    message_id: number;
  };
  import_row: {
    import_id: number;
    line: number;
    cells: string;
    outcome: 'add' | 'change' | 'same' | 'refused' | null;
    words: string;
    client_id: number | null;
  };
  import_run: {
    id: number;
    staff_id: number;
    filename: string;
    state: 'chosen' | 'checking' | 'checked' | 'running' | 'done' | 'undoing' | 'undone';
    encoding: string;
    delimiter: string;
    header: string;
    columns: string;
    existing: 'change' | 'leave';
    row_count: number;
    position: number;
    problem: string | null;
    made_at: Date;
    ended_at: Date | null;
    lease_owner: string | null;
    lease_until: Date | null;
  };
  interest: {
    id: number;
    name: string;
    position: number;
  };
  lesson: {
    id: number;
    message_id: number;
    sign: number;
    evident: Flag;
    lesson: string;
    file_id: number | null;
  };
  link_followed: {
    dispatch_id: number;
    position: number;
    first_at: Date;
    times: number;
  };
  mailbox: {
    id: number;
    staff_id: number;
    address: string;
    name: string;
    imap_host: string;
    imap_port: number;
    imap_security: 'tls' | 'starttls' | 'none';
    smtp_host: string;
    smtp_port: number;
    smtp_security: 'tls' | 'starttls' | 'none';
    user: string;
    sealed_password: Buffer;
    in_step_at: Date | null;
    failing_since: Date | null;
    problem: string | null;
    retry_at: Date | null;
    lease_owner: string | null;
    lease_until: Date | null;
    shared: Flag;
    take_from: string | null;
    verified_at: Date | null;
    paused_at: Date | null;
    disconnected_at: Date | null;
    needs_person: Flag;
    filling_since: Date | null;
    filled: number;
    checks_silently: Flag;
    per_minute: number | null;
  };
  mailbox_allowance: {
    mailbox_id: number;
    free_at: Date;
  };
  mailbox_colleague: {
    mailbox_id: number;
    staff_id: number;
    may: 'read' | 'write';
  };
  mailbox_server: {
    mailbox_id: number;
    name: string;
    seen: number;
    believed: Flag;
    believed_since: Date | null;
    believed_by: number | null;
  };
  mailing: {
    id: number;
    head_id: number | null;
    step: number;
    wait_days: number | null;
    name: string;
    state: 'draft' | 'ready' | 'going' | 'paused' | 'finished' | 'cancelled';
    owner_id: number;
    topic_id: number | null;
    sender_id: number | null;
    answers_id: number | null;
    each_of: 'client' | 'household' | 'person';
    roles: string;
    colleagues: string | null;
    selection_id: number;
    subject: string;
    body: string;
    plain: string | null;
    framed: Flag;
    file_choice: 'general' | 'latest' | 'private' | 'nowhere';
    timing: string;
    opt_out: Flag;
    counted: Flag;
    version: number;
    saved_at: Date;
    tested_at: Date | null;
    handed_at: Date | null;
    handed_by: number | null;
    released_at: Date | null;
    released_by: number | null;
    untested_why: string | null;
    finished_at: Date | null;
    advanced_at: Date | null;
    laid_out: Flag;
    channel: 'email' | 'text';
  };
  mailing_enclosure: {
    id: number;
    mailing_id: number;
    filename: string;
    mime_type: string;
    hash: Buffer;
    wording_id: number | null;
  };
  mailing_left_out: {
    id: number;
    mailing_id: number;
    client_id: number;
    person_id: number | null;
    why: string;
    detail: string;
    at: Date | null;
  };
  mailing_own_copy: {
    mailing_id: number;
    client_id: number;
    person_id: number;
    subject: string;
    body: string;
    changed_at: Date;
    changed_by: number;
  };
  mailing_own_enclosure: {
    mailing_id: number;
    kind_id: number;
    needed: Flag;
  };
  mailing_presence: {
    mailing_id: number;
    staff_id: number;
    step: string;
    seen_at: Date;
  };
  mail_change: {
    id: number;
    mailbox_id: number;
    folder_id: number;
    uid: number;
    kind: 'seen' | 'flagged' | 'answered' | 'move';
    value: Flag | null;
    to_folder_id: number | null;
    staff_id: number | null;
    at: Date;
    tries: number;
    version: number;
    going_to_id: number | null;
    going_uid: number | null;
  };
  mail_undone: {
    id: number;
    mailbox_id: number;
    message_id: number | null;
    staff_id: number | null;
    what: string;
    why: string;
    at: Date;
    seen_at: Date | null;
  };
  many_change: {
    id: number;
    staff_id: number;
    at: Date;
    words: string;
    changed: number;
    undone_at: Date | null;
    kept: number | null;
  };
  message: {
    id: number;
    identity: Buffer;
    family: Buffer;
    message_id: string | null;
    message_key: Buffer | null;
    raw_hash: Buffer;
    body_key: Buffer | null;
    conversation_id: number;
    direction: 'received' | 'sent' | 'internal';
    at: Date;
    from_name: string;
    from_address: string;
    to_words: string;
    subject: string;
    base_subject: string;
    snippet: string;
    enclosures: number;
    automatic: 'report' | 'reply' | 'notice' | 'list' | null;
    list_id: string;
    state: 'logged' | 'suggested' | 'aside' | 'private';
    sorting: 'certain' | 'look' | 'nobody' | null;
    decided_at: Date;
    decided_by: number | null;
    evidence: string;
    candidates: string;
    taken_in_at: Date;
    reason: string | null;
    later_until: Date | null;
    corrected_at: Date | null;
    unread: Flag;
    starred: Flag;
    asks: Flag;
    waits: 'we' | 'they' | null;
    differs: string | null;
    handler_id: number | null;
    problem: string | null;
    confirmation: 'confirmed' | 'failed' | 'absent' | 'untold' | null;
    turn: number;
    past: Flag;
    waived: Flag;
    kept_at: Date | null;
    probability: number | null;
  };
  message_copy: {
    folder_id: number;
    uid: number;
    message_id: number;
    seen: Flag;
    at: Date;
    flagged: Flag;
    shown_in: number | null;
    size: number | null;
  };
  message_link: {
    message_id: number;
    link_key: Buffer;
    place: number;
  };
  message_party: {
    message_id: number;
    role: 'from' | 'to' | 'cc' | 'bcc';
    email_key: string;
    email: string;
    name: string;
    domain: string | null;
  };
  message_subject: {
    message_id: number;
    subject_key: Buffer;
  };
  migration_lease: {
    one: number;
    owner: string | null;
    until: Date;
  };
  office_rule: {
    id: number;
    looks_at: 'address' | 'domain' | 'list' | 'subject';
    pattern: string;
    outcome: 'file' | 'never' | 'aside' | 'private';
    file_id: number | null;
    made_by: number;
    made_at: Date;
  };
  one_time_link: {
    token_hash: Buffer;
    kind: 'set up' | 'invite' | 'reset';
    staff_id: number | null;
    made_at: Date;
    expires_at: Date;
  };
  opt_out: {
    email_key: string;
    at: Date;
    how: string;
  };
  order_act: {
    course_id: number;
    step: number;
    at: Date;
    words: string;
    skipped: Flag;
    draft_id: number | null;
    run_id: number | null;
    task_id: number | null;
    wording_id: number | null;
    email_key: string | null;
    sends: Flag;
  };
  order_course: {
    id: number;
    order_id: number;
    version: number;
    cause: string;
    why: string;
    at: Date;
    begun_at: Date;
    client_id: number | null;
    file_id: number | null;
    person_id: number | null;
    message_id: number | null;
    fee_note_id: number | null;
    dispatch_id: number | null;
    timeline_id: number | null;
    chain: string;
    step: number;
    due_at: Date | null;
    state: 'going' | 'held' | 'done' | 'stopped';
    stopped_why: string;
    tries: number;
    wanted_id: number | null;
  };
  order_version: {
    order_id: number;
    version: number;
    told: string;
    saved_at: Date;
    saved_by: number | null;
  };
  paper_piece: {
    id: number;
    run_id: number;
    about: string;
    client_id: number;
    file_id: number;
    person_id: number | null;
    fee_note_id: number | null;
    way: 'email' | 'post' | 'both';
    people: string;
    postal: string;
    postcode: string;
    own_body: string | null;
    state: 'waiting' | 'made' | 'read' | 'held' | 'released' | 'dropped';
    lease_owner: string | null;
    lease_until: Date | null;
    tries: number;
    problems: string;
    remarks: string;
    held_why: string;
    raw_hash: Buffer | null;
    pages: number | null;
    amount: number | null;
    facts: string | null;
    version: number;
    released_at: Date | null;
    released_by: number | null;
    pack_id: number | null;
    pack_place: number | null;
    printed_at: Date | null;
    printed_by: number | null;
    steps: string | null;
    docx_hash: Buffer | null;
    own_docx: Buffer | null;
  };
  paper_run: {
    id: number;
    kind: 'letter' | 'fee note' | 'statement' | 'reminder';
    tone: 'friendly' | 'plain' | 'firm' | null;
    name: string;
    state: 'draft' | 'made' | 'done' | 'cancelled';
    owner_id: number;
    selection_id: number;
    day: string;
    subject: string;
    body: string;
    mail_subject: string;
    mail_body: string;
    sender_id: number | null;
    answers_id: number | null;
    hidden_copy: string;
    slip: Flag;
    paid_months: number;
    version: number;
    saved_at: Date;
    made_at: Date | null;
    released_for: number | null;
    template_id: number | null;
    template_hash: Buffer | null;
    template_matching: string | null;
    carries: 'pdf' | 'docx';
    order_id: number | null;
    order_step: number | null;
  };
  paper_run_enclosure: {
    id: number;
    run_id: number;
    wording_id: number | null;
    filename: string;
    mime_type: string;
    hash: Buffer;
    pages: number | null;
  };
  person: {
    id: number;
    first_name: string;
    last_name: string;
    title: string;
    greeting: string | null;
    note: string;
  };
  person_field_value: {
    person_id: number;
    field_id: number;
    item: number;
    text_value: string | null;
    number_value: number | null;
    date_value: string | null;
    choice_id: number | null;
    person_link: number | null;
    client_link: number | null;
  };
  phone: {
    id: number;
    client_id: number | null;
    person_id: number | null;
    number: string;
    number_key: string;
    purpose: string;
    position: number;
  };
  picture: {
    hash: Buffer;
    mime_type: string;
    made_at: Date;
    made_by: number | null;
  };
  preference: {
    staff_id: number;
    name: string;
    value: string;
  };
  print_pack: {
    id: number;
    made_at: Date;
    made_by: number;
    duplex: Flag;
    state: 'waiting' | 'made' | 'failed';
    lease_owner: string | null;
    lease_until: Date | null;
    tries: number;
    raw_hash: Buffer | null;
    pages: number | null;
  };
  raw: {
    id: number;
    hash: Buffer;
    size: number;
    packed: Buffer;
    reading: Buffer | null;
  };
  raw_piece: {
    hash: Buffer;
    position: number;
    packed: Buffer;
  };
  raw_words: {
    id: number;
    hash: Buffer;
    words: string;
  };
  reckoning: {
    day: string;
    state: 'waiting' | 'done';
    asked_by: number | null;
    counted_at: Date | null;
    lease_owner: string | null;
    lease_until: Date | null;
    tries: number;
  };
  reckoning_difference: {
    id: number;
    day: string;
    kind: 'missing' | 'gone' | 'unknown' | 'unrecorded' | 'uncertain' | 'unreached';
    mailbox_id: number | null;
    folder_path: string;
    uid: number | null;
    message_id: number | null;
    dispatch_id: number | null;
    words: string;
    at: Date | null;
    seen_at: Date | null;
    seen_by: number | null;
  };
  reckoning_line: {
    id: number;
    day: string;
    mailbox_id: number;
    folder_path: string;
    rule: string | null;
    on_server: number;
    taken: number;
    to_come: number;
    missing: number;
    logged: number;
    waiting: number;
    aside: number;
    private: number;
  };
  reckoning_sending: {
    id: number;
    day: string;
    kind: string;
    name: string;
    released: number;
    sent: number;
    waiting: number;
    returned: number;
    uncertain: number;
    cancelled: number;
  };
  record_merge: {
    id: number;
    subject: 'client' | 'person';
    kept_id: number;
    dropped_id: number;
    kept_name: string;
    dropped_name: string;
    staff_id: number;
    at: Date;
    changes: string;
    undone_at: Date | null;
  };
  recovery_code: {
    staff_id: number;
    code_hash: Buffer;
  };
  reminder_day: {
    day: string;
    lease_owner: string | null;
    lease_until: Date | null;
    done_at: Date | null;
  };
  reminder_step: {
    fee_note_id: number;
    step: number;
    piece_id: number;
    day: string;
  };
  return_report: {
    id: number;
    message_id: number;
    about_id: number | null;
    dispatch_id: number | null;
    email_key: string;
    email: string;
    kind: 'hard' | 'soft';
    why: string;
    at: Date;
    noted_at: Date;
    state: 'noted' | 'held' | 'applied' | 'dismissed';
    settled_by: number | null;
  };
  right_as_it_is: {
    gap: string;
    record_id: number;
    mark: string;
    staff_id: number;
    at: Date;
  };
  selection: {
    id: number;
    name: string | null;
    owner_id: number;
    tree: string;
    saved_at: Date;
    subject: 'client' | 'person' | 'file';
    fixed: Flag;
    shared: Flag;
    version: number;
  };
  selection_member: {
    selection_id: number;
    client_id: number | null;
    person_id: number | null;
    file_id: number | null;
  };
  sender_domain: {
    domain: string;
    confirmed: number;
    others: number;
  };
  server_process: {
    id: string;
    seen_at: Date;
  };
  service: {
    id: number;
    name: string;
    position: number;
  };
  session: {
    token_hash: Buffer;
    staff_id: number;
    created_at: Date;
    seen_at: Date;
    expires_at: Date;
  };
  setting: {
    name: string;
    value: string;
  };
  staff: {
    id: number;
    name: string;
    email: string;
    phone: string;
    title: string;
    role: 'manager' | 'adviser' | 'assistant';
    password_hash: string;
    active: Flag;
    second_step: Buffer | null;
    second_step_last: number | null;
    left_at: Date | null;
    signature_id: number | null;
    signed: Buffer | null;
  };
  stage: {
    id: number;
    name: string;
    position: number;
  };
  standing_order: {
    id: number;
    name: string;
    owner_id: number;
    state: 'off' | 'on' | 'paused' | 'ended';
    sends_by: number | null;
    most_a_day: number;
    again_after: number;
    version: number;
    saved_at: Date;
    on_since: Date | null;
    looked_until: Date | null;
    day: string | null;
    begun_on_day: number;
  };
  tag: {
    id: number;
    name: string;
    position: number;
  };
  task: {
    id: number;
    words: string;
    for_id: number;
    due_on: string | null;
    client_id: number | null;
    file_id: number | null;
    message_id: number | null;
    made_by: number | null;
    course_id: number | null;
    made_at: Date;
    done_at: Date | null;
    done_by: number | null;
    version: number;
    gone_at: Date | null;
  };
  text_gateway: {
    one: number;
    url: string;
    sealed_key: Buffer;
    sender: string;
    price: number;
    currency: string;
    monthly_limit: number | null;
    read_until: number;
    read_at: Date | null;
    problem: string | null;
    lease_owner: string | null;
    lease_until: Date | null;
  };
  text_message: {
    id: number;
    mark: string;
    direction: 'sent' | 'received';
    state: 'waiting' | 'going' | 'sent' | 'delivered' | 'failed' | 'cancelled' | 'received' | 'prepared';
    number_key: string;
    number: string;
    client_id: number | null;
    person_id: number | null;
    file_id: number | null;
    staff_id: number | null;
    text: string;
    parts: number;
    price: number;
    at: Date;
    next_at: Date | null;
    attempts: number;
    lease_owner: string | null;
    lease_until: Date | null;
    why: string;
    delivered_at: Date | null;
    waits: Flag;
    dispatch_id: number | null;
    course_id: number | null;
  };
  text_number: {
    number_key: string;
    agreed_at: Date | null;
    agreed_how: string;
    agreed_by: number | null;
    stopped_at: Date | null;
    stopped_how: string;
  };
  timeline: {
    id: number;
    kind: 'note' | 'call' | 'meeting';
    state: 'planned' | 'done' | 'off';
    client_id: number;
    file_id: number;
    message_id: number | null;
    staff_id: number;
    at: Date;
    ends_at: Date | null;
    place: string;
    words: string;
    outcome: string;
    remind_at: Date | null;
    remind_id: number | null;
    uid: string | null;
    sequence: number;
    gone_at: Date | null;
  };
  timeline_person: {
    timeline_id: number;
    person_id: number;
  };
  timeline_staff: {
    timeline_id: number;
    staff_id: number;
    tie: 'took part' | 'told';
    seen_at: Date | null;
  };
  topic: {
    id: number;
    name: string;
    position: number;
  };
  topic_opt_out: {
    email_key: string;
    topic_id: number;
    at: Date;
    how: string;
  };
  turn: {
    name: string;
    taken: number;
  };
  weighing: {
    message_id: number;
    stage: number;
  };
  wording: {
    id: number;
    kind: 'template' | 'paragraph' | 'note' | 'article' | 'enclosure' | 'signature';
    name: string;
    description: string;
    subject: string;
    body: string;
    staff_id: number | null;
    own: Flag;
    letters: string;
    occasion:
      | 'file opened'
      | 'document shared'
      | 'fee note sent'
      | 'answer owed'
      | 'client welcomed'
      | 'client leaving'
      | null;
    version: number;
    changed_at: Date | null;
    filename: string | null;
    mime_type: string | null;
    hash: Buffer | null;
  };
  wording_enclosure: {
    wording_id: number;
    enclosure_id: number;
  };
  wording_version: {
    wording_id: number;
    version: number;
    name: string;
    subject: string;
    body: string;
    changed_at: Date;
    changed_by: number | null;
    filename: string | null;
    mime_type: string | null;
    hash: Buffer | null;
  };
}

declare module 'knex/types/tables.js' {
  interface Tables {
    address: Knex.CompositeTableType<Rows['address'], Written<Rows['address']>>;
    attempt: Knex.CompositeTableType<Rows['attempt'], Written<Rows['attempt']>>;
    audit: Knex.CompositeTableType<Rows['audit'], Written<Rows['audit']>>;
    change_event: Knex.CompositeTableType<Rows['change_event'], Written<Rows['change_event']>>;
    client: Knex.CompositeTableType<Rows['client'], Written<Rows['client']>>;
    client_field_value: Knex.CompositeTableType<
      Rows['client_field_value'],
      Written<Rows['client_field_value']>
    >;
    client_interest: Knex.CompositeTableType<Rows['client_interest'], Written<Rows['client_interest']>>;
    client_person: Knex.CompositeTableType<Rows['client_person'], Written<Rows['client_person']>>;
    client_tag: Knex.CompositeTableType<Rows['client_tag'], Written<Rows['client_tag']>>;
    collection_apart: Knex.CompositeTableType<Rows['collection_apart'], Written<Rows['collection_apart']>>;
    collection_entry: Knex.CompositeTableType<Rows['collection_entry'], Written<Rows['collection_entry']>>;
    collection_item: Knex.CompositeTableType<Rows['collection_item'], Written<Rows['collection_item']>>;
    collection_page: Knex.CompositeTableType<Rows['collection_page'], Written<Rows['collection_page']>>;
    collection_taken: Knex.CompositeTableType<Rows['collection_taken'], Written<Rows['collection_taken']>>;
    collection_upload: Knex.CompositeTableType<Rows['collection_upload'], Written<Rows['collection_upload']>>;
    collection_visit: Knex.CompositeTableType<Rows['collection_visit'], Written<Rows['collection_visit']>>;
    collection_wanted: Knex.CompositeTableType<Rows['collection_wanted'], Written<Rows['collection_wanted']>>;
    conversation: Knex.CompositeTableType<Rows['conversation'], Written<Rows['conversation']>>;
    copy_gone: Knex.CompositeTableType<Rows['copy_gone'], Written<Rows['copy_gone']>>;
    delivery: Knex.CompositeTableType<Rows['delivery'], Written<Rows['delivery']>>;
    dispatch: Knex.CompositeTableType<Rows['dispatch'], Written<Rows['dispatch']>>;
    dispatch_enclosure: Knex.CompositeTableType<
      Rows['dispatch_enclosure'],
      Written<Rows['dispatch_enclosure']>
    >;
    document: Knex.CompositeTableType<Rows['document'], Written<Rows['document']>>;
    document_kind: Knex.CompositeTableType<Rows['document_kind'], Written<Rows['document_kind']>>;
    document_reading: Knex.CompositeTableType<Rows['document_reading'], Written<Rows['document_reading']>>;
    docx_template: Knex.CompositeTableType<Rows['docx_template'], Written<Rows['docx_template']>>;
    double_pair: Knex.CompositeTableType<Rows['double_pair'], Written<Rows['double_pair']>>;
    draft: Knex.CompositeTableType<Rows['draft'], Written<Rows['draft']>>;
    draft_enclosure: Knex.CompositeTableType<Rows['draft_enclosure'], Written<Rows['draft_enclosure']>>;
    fee_note: Knex.CompositeTableType<Rows['fee_note'], Written<Rows['fee_note']>>;
    field: Knex.CompositeTableType<Rows['field'], Written<Rows['field']>>;
    field_choice: Knex.CompositeTableType<Rows['field_choice'], Written<Rows['field_choice']>>;
    file: Knex.CompositeTableType<Rows['file'], Written<Rows['file']>>;
    file_field_value: Knex.CompositeTableType<Rows['file_field_value'], Written<Rows['file_field_value']>>;
    file_person: Knex.CompositeTableType<Rows['file_person'], Written<Rows['file_person']>>;
    filing: Knex.CompositeTableType<Rows['filing'], Written<Rows['filing']>>;
    filing_sample: Knex.CompositeTableType<Rows['filing_sample'], Written<Rows['filing_sample']>>;
    filing_step: Knex.CompositeTableType<Rows['filing_step'], Written<Rows['filing_step']>>;
    filing_step_message: Knex.CompositeTableType<
      Rows['filing_step_message'],
      Written<Rows['filing_step_message']>
    >;
    folder: Knex.CompositeTableType<Rows['folder'], Written<Rows['folder']>>;
    happening: Knex.CompositeTableType<Rows['happening'], Written<Rows['happening']>>;
    history_taught: Knex.CompositeTableType<Rows['history_taught'], Written<Rows['history_taught']>>;
    import_row: Knex.CompositeTableType<Rows['import_row'], Written<Rows['import_row']>>;
    import_run: Knex.CompositeTableType<Rows['import_run'], Written<Rows['import_run']>>;
    interest: Knex.CompositeTableType<Rows['interest'], Written<Rows['interest']>>;
    lesson: Knex.CompositeTableType<Rows['lesson'], Written<Rows['lesson']>>;
    link_followed: Knex.CompositeTableType<Rows['link_followed'], Written<Rows['link_followed']>>;
    mailbox: Knex.CompositeTableType<Rows['mailbox'], Written<Rows['mailbox']>>;
    mailbox_allowance: Knex.CompositeTableType<Rows['mailbox_allowance'], Written<Rows['mailbox_allowance']>>;
    mailbox_colleague: Knex.CompositeTableType<Rows['mailbox_colleague'], Written<Rows['mailbox_colleague']>>;
    mailbox_server: Knex.CompositeTableType<Rows['mailbox_server'], Written<Rows['mailbox_server']>>;
    mailing: Knex.CompositeTableType<Rows['mailing'], Written<Rows['mailing']>>;
    mailing_enclosure: Knex.CompositeTableType<Rows['mailing_enclosure'], Written<Rows['mailing_enclosure']>>;
    mailing_left_out: Knex.CompositeTableType<Rows['mailing_left_out'], Written<Rows['mailing_left_out']>>;
    mailing_own_copy: Knex.CompositeTableType<Rows['mailing_own_copy'], Written<Rows['mailing_own_copy']>>;
    mailing_own_enclosure: Knex.CompositeTableType<
      Rows['mailing_own_enclosure'],
      Written<Rows['mailing_own_enclosure']>
    >;
    mailing_presence: Knex.CompositeTableType<Rows['mailing_presence'], Written<Rows['mailing_presence']>>;
    mail_change: Knex.CompositeTableType<Rows['mail_change'], Written<Rows['mail_change']>>;
    mail_undone: Knex.CompositeTableType<Rows['mail_undone'], Written<Rows['mail_undone']>>;
    many_change: Knex.CompositeTableType<Rows['many_change'], Written<Rows['many_change']>>;
    message: Knex.CompositeTableType<Rows['message'], Written<Rows['message']>>;
    message_copy: Knex.CompositeTableType<Rows['message_copy'], Written<Rows['message_copy']>>;
    message_link: Knex.CompositeTableType<Rows['message_link'], Written<Rows['message_link']>>;
    message_party: Knex.CompositeTableType<Rows['message_party'], Written<Rows['message_party']>>;
    message_subject: Knex.CompositeTableType<Rows['message_subject'], Written<Rows['message_subject']>>;
    migration_lease: Knex.CompositeTableType<Rows['migration_lease'], Written<Rows['migration_lease']>>;
    office_rule: Knex.CompositeTableType<Rows['office_rule'], Written<Rows['office_rule']>>;
    one_time_link: Knex.CompositeTableType<Rows['one_time_link'], Written<Rows['one_time_link']>>;
    opt_out: Knex.CompositeTableType<Rows['opt_out'], Written<Rows['opt_out']>>;
    order_act: Knex.CompositeTableType<Rows['order_act'], Written<Rows['order_act']>>;
    order_course: Knex.CompositeTableType<Rows['order_course'], Written<Rows['order_course']>>;
    order_version: Knex.CompositeTableType<Rows['order_version'], Written<Rows['order_version']>>;
    paper_piece: Knex.CompositeTableType<Rows['paper_piece'], Written<Rows['paper_piece']>>;
    paper_run: Knex.CompositeTableType<Rows['paper_run'], Written<Rows['paper_run']>>;
    paper_run_enclosure: Knex.CompositeTableType<
      Rows['paper_run_enclosure'],
      Written<Rows['paper_run_enclosure']>
    >;
    person: Knex.CompositeTableType<Rows['person'], Written<Rows['person']>>;
    person_field_value: Knex.CompositeTableType<
      Rows['person_field_value'],
      Written<Rows['person_field_value']>
    >;
    phone: Knex.CompositeTableType<Rows['phone'], Written<Rows['phone']>>;
    picture: Knex.CompositeTableType<Rows['picture'], Written<Rows['picture']>>;
    preference: Knex.CompositeTableType<Rows['preference'], Written<Rows['preference']>>;
    print_pack: Knex.CompositeTableType<Rows['print_pack'], Written<Rows['print_pack']>>;
    raw: Knex.CompositeTableType<Rows['raw'], Written<Rows['raw']>>;
    raw_piece: Knex.CompositeTableType<Rows['raw_piece'], Written<Rows['raw_piece']>>;
    raw_words: Knex.CompositeTableType<Rows['raw_words'], Written<Rows['raw_words']>>;
    reckoning: Knex.CompositeTableType<Rows['reckoning'], Written<Rows['reckoning']>>;
    reckoning_difference: Knex.CompositeTableType<
      Rows['reckoning_difference'],
      Written<Rows['reckoning_difference']>
    >;
    reckoning_line: Knex.CompositeTableType<Rows['reckoning_line'], Written<Rows['reckoning_line']>>;
    reckoning_sending: Knex.CompositeTableType<Rows['reckoning_sending'], Written<Rows['reckoning_sending']>>;
    record_merge: Knex.CompositeTableType<Rows['record_merge'], Written<Rows['record_merge']>>;
    recovery_code: Knex.CompositeTableType<Rows['recovery_code'], Written<Rows['recovery_code']>>;
    reminder_day: Knex.CompositeTableType<Rows['reminder_day'], Written<Rows['reminder_day']>>;
    reminder_step: Knex.CompositeTableType<Rows['reminder_step'], Written<Rows['reminder_step']>>;
    return_report: Knex.CompositeTableType<Rows['return_report'], Written<Rows['return_report']>>;
    right_as_it_is: Knex.CompositeTableType<Rows['right_as_it_is'], Written<Rows['right_as_it_is']>>;
    selection: Knex.CompositeTableType<Rows['selection'], Written<Rows['selection']>>;
    selection_member: Knex.CompositeTableType<Rows['selection_member'], Written<Rows['selection_member']>>;
    sender_domain: Knex.CompositeTableType<Rows['sender_domain'], Written<Rows['sender_domain']>>;
    server_process: Knex.CompositeTableType<Rows['server_process'], Written<Rows['server_process']>>;
    service: Knex.CompositeTableType<Rows['service'], Written<Rows['service']>>;
    session: Knex.CompositeTableType<Rows['session'], Written<Rows['session']>>;
    setting: Knex.CompositeTableType<Rows['setting'], Written<Rows['setting']>>;
    staff: Knex.CompositeTableType<Rows['staff'], Written<Rows['staff']>>;
    stage: Knex.CompositeTableType<Rows['stage'], Written<Rows['stage']>>;
    standing_order: Knex.CompositeTableType<Rows['standing_order'], Written<Rows['standing_order']>>;
    tag: Knex.CompositeTableType<Rows['tag'], Written<Rows['tag']>>;
    task: Knex.CompositeTableType<Rows['task'], Written<Rows['task']>>;
    text_gateway: Knex.CompositeTableType<Rows['text_gateway'], Written<Rows['text_gateway']>>;
    text_message: Knex.CompositeTableType<Rows['text_message'], Written<Rows['text_message']>>;
    text_number: Knex.CompositeTableType<Rows['text_number'], Written<Rows['text_number']>>;
    timeline: Knex.CompositeTableType<Rows['timeline'], Written<Rows['timeline']>>;
    timeline_person: Knex.CompositeTableType<Rows['timeline_person'], Written<Rows['timeline_person']>>;
    timeline_staff: Knex.CompositeTableType<Rows['timeline_staff'], Written<Rows['timeline_staff']>>;
    topic: Knex.CompositeTableType<Rows['topic'], Written<Rows['topic']>>;
    topic_opt_out: Knex.CompositeTableType<Rows['topic_opt_out'], Written<Rows['topic_opt_out']>>;
    turn: Knex.CompositeTableType<Rows['turn'], Written<Rows['turn']>>;
    weighing: Knex.CompositeTableType<Rows['weighing'], Written<Rows['weighing']>>;
    wording: Knex.CompositeTableType<Rows['wording'], Written<Rows['wording']>>;
    wording_enclosure: Knex.CompositeTableType<Rows['wording_enclosure'], Written<Rows['wording_enclosure']>>;
    wording_version: Knex.CompositeTableType<Rows['wording_version'], Written<Rows['wording_version']>>;
  }
}
