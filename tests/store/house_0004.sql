--
-- PostgreSQL database dump
--


-- Dumped from database version 15.18 (Debian 15.18-0+deb12u1)
-- Dumped by pg_dump version 15.18 (Debian 15.18-0+deb12u1)

SET statement_timeout = 0;
SET lock_timeout = 0;
SET idle_in_transaction_session_timeout = 0;
SET client_encoding = 'UTF8';
SET standard_conforming_strings = on;
SELECT pg_catalog.set_config('search_path', '', false);
SET check_function_bodies = false;
SET xmloption = content;
SET client_min_messages = warning;
SET row_security = off;

SET default_tablespace = '';

SET default_table_access_method = heap;

--
-- Name: alembic_version; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.alembic_version (
    version_num character varying(32) NOT NULL
);


--
-- Name: deliveries; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.deliveries (
    id integer NOT NULL,
    shot_id integer NOT NULL,
    version integer NOT NULL,
    first integer NOT NULL,
    last integer NOT NULL,
    missing jsonb NOT NULL,
    usable integer NOT NULL,
    "window" jsonb NOT NULL,
    findings jsonb NOT NULL,
    differences jsonb NOT NULL,
    digest character varying(32) NOT NULL,
    accepted_at timestamp with time zone NOT NULL,
    passes_at timestamp with time zone NOT NULL,
    CONSTRAINT deliveries_range CHECK ((first <= last))
);


--
-- Name: deliveries_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.deliveries_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: deliveries_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.deliveries_id_seq OWNED BY public.deliveries.id;


--
-- Name: dictionary_entries; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.dictionary_entries (
    id integer NOT NULL,
    show_id integer NOT NULL,
    kind character varying(12) NOT NULL,
    text character varying(200) NOT NULL,
    role character varying(40) NOT NULL,
    by character varying(80) NOT NULL,
    made_at timestamp with time zone NOT NULL,
    CONSTRAINT dictionary_entries_kind CHECK (((kind)::text = ANY ((ARRAY['whole name'::character varying, 'word'::character varying])::text[]))),
    CONSTRAINT dictionary_entries_text CHECK (((text)::text <> ''::text))
);


--
-- Name: dictionary_entries_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.dictionary_entries_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: dictionary_entries_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.dictionary_entries_id_seq OWNED BY public.dictionary_entries.id;


--
-- Name: dismissals; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.dismissals (
    id integer NOT NULL,
    shot_id integer NOT NULL,
    code character varying(40) NOT NULL,
    fact character varying(16) NOT NULL,
    reason character varying(400) NOT NULL,
    by character varying(80) NOT NULL,
    made_at timestamp with time zone NOT NULL,
    CONSTRAINT dismissals_reason CHECK (((reason)::text <> ''::text))
);


--
-- Name: dismissals_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.dismissals_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: dismissals_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.dismissals_id_seq OWNED BY public.dismissals.id;


--
-- Name: frames; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.frames (
    member_id integer NOT NULL,
    number integer NOT NULL,
    path character varying NOT NULL,
    size_bytes bigint NOT NULL,
    mtime_ns bigint NOT NULL,
    fault character varying NOT NULL,
    CONSTRAINT frames_number CHECK ((number >= 0))
);


--
-- Name: measurements; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.measurements (
    id integer NOT NULL,
    delivery_id integer NOT NULL,
    kind character varying(12) NOT NULL,
    state character varying(12) NOT NULL,
    pass_name character varying(255) NOT NULL,
    done integer NOT NULL,
    total integer NOT NULL,
    frames jsonb NOT NULL,
    whole jsonb NOT NULL,
    note character varying NOT NULL,
    asked_at timestamp with time zone NOT NULL,
    CONSTRAINT measurements_kind CHECK (((kind)::text = ANY ((ARRAY['depth'::character varying, 'facts'::character varying])::text[]))),
    CONSTRAINT measurements_state CHECK (((state)::text = ANY ((ARRAY['waiting'::character varying, 'measuring'::character varying, 'done'::character varying, 'failed'::character varying])::text[])))
);


--
-- Name: measurements_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.measurements_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: measurements_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.measurements_id_seq OWNED BY public.measurements.id;


--
-- Name: members; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.members (
    id integer NOT NULL,
    delivery_id integer NOT NULL,
    place integer NOT NULL,
    folder character varying NOT NULL,
    pattern character varying NOT NULL,
    view character varying(80) NOT NULL,
    facts jsonb NOT NULL,
    CONSTRAINT members_place CHECK ((place >= 0))
);


--
-- Name: members_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.members_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: members_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.members_id_seq OWNED BY public.members.id;


--
-- Name: packages; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.packages (
    id integer NOT NULL,
    run_id integer NOT NULL,
    state character varying(12) NOT NULL,
    folder character varying NOT NULL,
    frames integer NOT NULL,
    missing jsonb NOT NULL,
    size_bytes bigint NOT NULL,
    manifest_checksum character varying(40) NOT NULL,
    made_at timestamp with time zone NOT NULL,
    CONSTRAINT packages_state CHECK (((state)::text = ANY ((ARRAY['proven'::character varying, 'incomplete'::character varying])::text[])))
);


--
-- Name: packages_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.packages_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: packages_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.packages_id_seq OWNED BY public.packages.id;


--
-- Name: passes; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.passes (
    id integer NOT NULL,
    delivery_id integer NOT NULL,
    place integer NOT NULL,
    name character varying(255) NOT NULL,
    layer character varying(255) NOT NULL,
    role character varying(40) NOT NULL,
    confidence double precision NOT NULL,
    reason character varying NOT NULL,
    view character varying(80) NOT NULL,
    channels jsonb NOT NULL,
    traits jsonb NOT NULL,
    twin_of character varying(255) NOT NULL,
    space character varying(40) NOT NULL,
    space_reason character varying NOT NULL,
    CONSTRAINT passes_confidence CHECK (((confidence >= (0)::double precision) AND (confidence <= (1)::double precision)))
);


--
-- Name: passes_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.passes_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: passes_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.passes_id_seq OWNED BY public.passes.id;


--
-- Name: revisions; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.revisions (
    id integer NOT NULL,
    shot_id integer NOT NULL,
    number integer NOT NULL,
    recipe jsonb NOT NULL,
    digest character varying(16) NOT NULL,
    said character varying NOT NULL,
    restores integer,
    by character varying(80) NOT NULL,
    made_at timestamp with time zone NOT NULL,
    CONSTRAINT revisions_number CHECK ((number > 0)),
    CONSTRAINT revisions_restores CHECK (((restores IS NULL) OR (restores < number)))
);


--
-- Name: revisions_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.revisions_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: revisions_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.revisions_id_seq OWNED BY public.revisions.id;


--
-- Name: run_frames; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.run_frames (
    run_id integer NOT NULL,
    number integer NOT NULL,
    state character varying(12) NOT NULL,
    attempts integer NOT NULL,
    file_name character varying NOT NULL,
    size_bytes bigint NOT NULL,
    seconds double precision NOT NULL,
    checksum character varying(40) NOT NULL,
    proof jsonb NOT NULL,
    fault jsonb NOT NULL,
    ended_at timestamp with time zone,
    log jsonb NOT NULL,
    worker character varying(120) NOT NULL,
    memory_bytes bigint NOT NULL,
    CONSTRAINT run_frames_checksum CHECK ((((state)::text <> 'proven'::text) OR ((checksum)::text <> ''::text))),
    CONSTRAINT run_frames_state CHECK (((state)::text = ANY ((ARRAY['waiting'::character varying, 'proven'::character varying, 'failed'::character varying])::text[])))
);


--
-- Name: runs; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.runs (
    id integer NOT NULL,
    shot_id integer NOT NULL,
    delivery_id integer NOT NULL,
    revision_id integer NOT NULL,
    version integer NOT NULL,
    state character varying(12) NOT NULL,
    folder character varying NOT NULL,
    notes jsonb NOT NULL,
    by character varying(80) NOT NULL,
    asked_at timestamp with time zone NOT NULL,
    started_at timestamp with time zone,
    ended_at timestamp with time zone,
    priority integer NOT NULL,
    CONSTRAINT runs_state CHECK (((state)::text = ANY ((ARRAY['waiting'::character varying, 'running'::character varying, 'paused'::character varying, 'cancelled'::character varying, 'done'::character varying, 'failed'::character varying])::text[]))),
    CONSTRAINT runs_version CHECK ((version > 0))
);


--
-- Name: runs_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.runs_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: runs_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.runs_id_seq OWNED BY public.runs.id;


--
-- Name: scans; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.scans (
    id integer NOT NULL,
    show_id integer NOT NULL,
    folder character varying NOT NULL,
    state character varying(12) NOT NULL,
    doing character varying(80) NOT NULL,
    done integer NOT NULL,
    total integer NOT NULL,
    result jsonb NOT NULL,
    fault jsonb NOT NULL,
    asked_at timestamp with time zone NOT NULL,
    ended_at timestamp with time zone,
    CONSTRAINT scans_state CHECK (((state)::text = ANY ((ARRAY['waiting'::character varying, 'scanning'::character varying, 'done'::character varying, 'failed'::character varying])::text[])))
);


--
-- Name: scans_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.scans_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: scans_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.scans_id_seq OWNED BY public.scans.id;


--
-- Name: sendings; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.sendings (
    id integer NOT NULL,
    package_id integer NOT NULL,
    inbox character varying NOT NULL,
    address character varying NOT NULL,
    state character varying(12) NOT NULL,
    tries integer NOT NULL,
    due_at timestamp with time zone NOT NULL,
    done_bytes bigint NOT NULL,
    total_bytes bigint NOT NULL,
    receipt jsonb NOT NULL,
    fault jsonb NOT NULL,
    by character varying(80) NOT NULL,
    asked_at timestamp with time zone NOT NULL,
    ended_at timestamp with time zone,
    CONSTRAINT sendings_receipt CHECK ((((state)::text <> 'received'::text) OR (receipt <> '{}'::jsonb))),
    CONSTRAINT sendings_state CHECK (((state)::text = ANY ((ARRAY['waiting'::character varying, 'sending'::character varying, 'received'::character varying, 'refused'::character varying, 'failed'::character varying, 'stopped'::character varying])::text[])))
);


--
-- Name: sendings_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.sendings_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: sendings_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.sendings_id_seq OWNED BY public.sendings.id;


--
-- Name: shots; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.shots (
    id integer NOT NULL,
    show_id integer NOT NULL,
    code character varying(40) NOT NULL,
    title character varying(200) NOT NULL,
    delivery_id integer,
    made_at timestamp with time zone NOT NULL,
    CONSTRAINT shots_code CHECK (((code)::text ~ '^[A-Za-z0-9][A-Za-z0-9_\-]{0,39}$'::text))
);


--
-- Name: shots_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.shots_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: shots_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.shots_id_seq OWNED BY public.shots.id;


--
-- Name: shows; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.shows (
    id integer NOT NULL,
    code character varying(40) NOT NULL,
    title character varying(200) NOT NULL,
    fps double precision NOT NULL,
    scene_unit character varying(4) NOT NULL,
    patterns jsonb NOT NULL,
    made_at timestamp with time zone NOT NULL,
    profiles jsonb NOT NULL,
    defaults jsonb NOT NULL,
    CONSTRAINT shows_code CHECK (((code)::text ~ '^[A-Za-z0-9][A-Za-z0-9_\-]{0,39}$'::text)),
    CONSTRAINT shows_fps CHECK ((fps > (0)::double precision)),
    CONSTRAINT shows_unit CHECK (((scene_unit)::text = ANY ((ARRAY['mm'::character varying, 'cm'::character varying, 'm'::character varying, 'km'::character varying, 'in'::character varying, 'ft'::character varying])::text[])))
);


--
-- Name: shows_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.shows_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: shows_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.shows_id_seq OWNED BY public.shows.id;


--
-- Name: tokens; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.tokens (
    id integer NOT NULL,
    name character varying(80) NOT NULL,
    digest character varying(64) NOT NULL,
    made_at timestamp with time zone NOT NULL,
    used_at timestamp with time zone
);


--
-- Name: tokens_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.tokens_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: tokens_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.tokens_id_seq OWNED BY public.tokens.id;


--
-- Name: watched_folders; Type: TABLE; Schema: public; Owner: -
--

CREATE TABLE public.watched_folders (
    id integer NOT NULL,
    show_id integer NOT NULL,
    folder character varying NOT NULL,
    listing character varying(32) NOT NULL
);


--
-- Name: watched_folders_id_seq; Type: SEQUENCE; Schema: public; Owner: -
--

CREATE SEQUENCE public.watched_folders_id_seq
    AS integer
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1;


--
-- Name: watched_folders_id_seq; Type: SEQUENCE OWNED BY; Schema: public; Owner: -
--

ALTER SEQUENCE public.watched_folders_id_seq OWNED BY public.watched_folders.id;


--
-- Name: deliveries id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.deliveries ALTER COLUMN id SET DEFAULT nextval('public.deliveries_id_seq'::regclass);


--
-- Name: dictionary_entries id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.dictionary_entries ALTER COLUMN id SET DEFAULT nextval('public.dictionary_entries_id_seq'::regclass);


--
-- Name: dismissals id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.dismissals ALTER COLUMN id SET DEFAULT nextval('public.dismissals_id_seq'::regclass);


--
-- Name: measurements id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.measurements ALTER COLUMN id SET DEFAULT nextval('public.measurements_id_seq'::regclass);


--
-- Name: members id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.members ALTER COLUMN id SET DEFAULT nextval('public.members_id_seq'::regclass);


--
-- Name: packages id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.packages ALTER COLUMN id SET DEFAULT nextval('public.packages_id_seq'::regclass);


--
-- Name: passes id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.passes ALTER COLUMN id SET DEFAULT nextval('public.passes_id_seq'::regclass);


--
-- Name: revisions id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.revisions ALTER COLUMN id SET DEFAULT nextval('public.revisions_id_seq'::regclass);


--
-- Name: runs id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.runs ALTER COLUMN id SET DEFAULT nextval('public.runs_id_seq'::regclass);


--
-- Name: scans id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.scans ALTER COLUMN id SET DEFAULT nextval('public.scans_id_seq'::regclass);


--
-- Name: sendings id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.sendings ALTER COLUMN id SET DEFAULT nextval('public.sendings_id_seq'::regclass);


--
-- Name: shots id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.shots ALTER COLUMN id SET DEFAULT nextval('public.shots_id_seq'::regclass);


--
-- Name: shows id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.shows ALTER COLUMN id SET DEFAULT nextval('public.shows_id_seq'::regclass);


--
-- Name: tokens id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.tokens ALTER COLUMN id SET DEFAULT nextval('public.tokens_id_seq'::regclass);


--
-- Name: watched_folders id; Type: DEFAULT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.watched_folders ALTER COLUMN id SET DEFAULT nextval('public.watched_folders_id_seq'::regclass);


--
-- Data for Name: alembic_version; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.alembic_version (version_num) FROM stdin;
0004
\.


--
-- Data for Name: deliveries; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.deliveries (id, shot_id, version, first, last, missing, usable, "window", findings, differences, digest, accepted_at, passes_at) FROM stdin;
1	1	1	1010	1011	[]	2	[0, 0, 47, 26]	[]	[]	758c5dc82627cc36b4c8f90b8df72cb0	2026-11-27 14:48:29.762628+00	2026-11-27 14:48:29.762634+00
2	2	1	1001	1002	[]	2	[0, 0, 47, 26]	[]	[]	a01966e4697d2ce808b7ae9d1fa7e131	2026-11-27 14:48:29.836019+00	2026-11-27 14:48:29.836024+00
3	3	1	1001	1002	[]	2	[0, 0, 47, 26]	[]	[]	77dd545ff3e65c54c5cc3c7157d1c0ab	2026-11-27 14:48:29.887685+00	2026-11-27 14:48:29.887689+00
\.


--
-- Data for Name: dictionary_entries; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.dictionary_entries (id, show_id, kind, text, role, by, made_at) FROM stdin;
\.


--
-- Data for Name: dismissals; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.dismissals (id, shot_id, code, fact, reason, by, made_at) FROM stdin;
\.


--
-- Data for Name: frames; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.frames (member_id, number, path, size_bytes, mtime_ns, fault) FROM stdin;
1	1010	/shows/sources/tidewrack/TW010/v001/TW010_main_v001.1010.exr	90872	1795790909104872872	
1	1011	/shows/sources/tidewrack/TW010/v001/TW010_main_v001.1011.exr	92561	1795790909132872874	
2	1001	/shows/sources/tidewrack/TW030/v001/TW030_main_v001.1001.exr	23983	1795790909224872877	
2	1002	/shows/sources/tidewrack/TW030/v001/TW030_main_v001.1002.exr	24151	1795790909232872878	
3	1001	/shows/sources/tidewrack/TW030/v001/TW030_ground_v001.1001.exr	5387	1795790909216872877	
3	1002	/shows/sources/tidewrack/TW030/v001/TW030_ground_v001.1002.exr	5384	1795790909244872878	
4	1001	/shows/sources/tidewrack/TW030/v001/TW030_plate_v001.1001.exr	6161	1795790909284872880	
4	1002	/shows/sources/tidewrack/TW030/v001/TW030_plate_v001.1002.exr	6365	1795790909312872881	
5	1001	/shows/sources/tidewrack/TW040/v001/TW040_left_v001.1001.exr	105901	1795790909380872884	
5	1002	/shows/sources/tidewrack/TW040/v001/TW040_left_v001.1002.exr	105090	1795790909392872884	
6	1001	/shows/sources/tidewrack/TW040/v001/TW040_right_v001.1001.exr	106019	1795790909408872885	
6	1002	/shows/sources/tidewrack/TW040/v001/TW040_right_v001.1002.exr	104509	1795790909488872888	
\.


--
-- Data for Name: measurements; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.measurements (id, delivery_id, kind, state, pass_name, done, total, frames, whole, note, asked_at) FROM stdin;
1	1	facts	waiting		0	2	{}	{}		2026-11-27 14:48:29.785029+00
2	1	depth	waiting	depth	0	2	{}	{}		2026-11-27 14:48:29.786296+00
3	2	facts	waiting		0	2	{}	{}		2026-11-27 14:48:29.852245+00
4	2	depth	waiting	depth	0	2	{}	{}		2026-11-27 14:48:29.852768+00
5	3	facts	waiting		0	2	{}	{}		2026-11-27 14:48:29.90231+00
6	3	depth	waiting	depth	0	2	{}	{}		2026-11-27 14:48:29.902828+00
\.


--
-- Data for Name: members; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.members (id, delivery_id, place, folder, pattern, view, facts) FROM stdin;
1	1	0	/shows/sources/tidewrack/TW010/v001	TW010_main_v001.####.exr		{"kind": "openexr", "parts": [{"name": "", "view": "", "storage": "scanline", "channels": [["A", "float", 1, 1], ["B", "float", 1, 1], ["CryptoObject00.A", "float", 1, 1], ["CryptoObject00.B", "float", 1, 1], ["CryptoObject00.G", "float", 1, 1], ["CryptoObject00.R", "float", 1, 1], ["CryptoObject01.A", "float", 1, 1], ["CryptoObject01.B", "float", 1, 1], ["CryptoObject01.G", "float", 1, 1], ["CryptoObject01.R", "float", 1, 1], ["G", "float", 1, 1], ["R", "float", 1, 1], ["depth.Z", "float", 1, 1], ["diffuse_colour.B", "half", 1, 1], ["diffuse_colour.G", "half", 1, 1], ["diffuse_colour.R", "half", 1, 1], ["diffuse_direct.B", "half", 1, 1], ["diffuse_direct.G", "half", 1, 1], ["diffuse_direct.R", "half", 1, 1], ["diffuse_indirect.B", "half", 1, 1], ["diffuse_indirect.G", "half", 1, 1], ["diffuse_indirect.R", "half", 1, 1], ["emission.B", "half", 1, 1], ["emission.G", "half", 1, 1], ["emission.R", "half", 1, 1], ["environment.B", "half", 1, 1], ["environment.G", "half", 1, 1], ["environment.R", "half", 1, 1], ["normal.X", "half", 1, 1], ["normal.Y", "half", 1, 1], ["normal.Z", "half", 1, 1], ["occlusion.V", "half", 1, 1], ["position.X", "float", 1, 1], ["position.Y", "float", 1, 1], ["position.Z", "float", 1, 1], ["shadow.V", "half", 1, 1], ["specular_colour.B", "half", 1, 1], ["specular_colour.G", "half", 1, 1], ["specular_colour.R", "half", 1, 1], ["specular_direct.B", "half", 1, 1], ["specular_direct.G", "half", 1, 1], ["specular_direct.R", "half", 1, 1], ["specular_indirect.B", "half", 1, 1], ["specular_indirect.G", "half", 1, 1], ["specular_indirect.R", "half", 1, 1]], "metadata": {"rate": 24.0, "farClip": 1000.0, "nearClip": 0.10000000149011612, "renderer": "drawstring stand-in renderer 1", "depthKind": "along the axis", "sceneUnit": "m", "worldToCamera": [[0.9999291300773621, -0.00018419220577925444, 0.011902493424713612, 0.0], [0.0, 0.9998802542686462, 0.015473240986466408, 0.0], [-0.011903918348252773, -0.015472144819796085, 0.9998094439506531, 0.0], [-0.6070998311042786, -1.7589632272720337, 0.5656660199165344, 1.0]], "pinholeFocalLength": 30.0, "sensorOverallDimensions": [36.0, 20.25], "cryptomatte/3ae39a5/hash": "MurmurHash3_32", "cryptomatte/3ae39a5/name": "CryptoObject", "cryptomatte/3ae39a5/manifest": "{\\"apron\\":\\"f32b6731\\",\\"far_hills\\":\\"4faeb9a8\\",\\"shed\\":\\"633f805d\\",\\"gantry\\":\\"cfd01734\\",\\"buoy_red\\":\\"390fa695\\",\\"buoy_yellow\\":\\"e26f1869\\",\\"buoy_green\\":\\"24326cb9\\",\\"buoy_red_far\\":\\"10388357\\",\\"buoy_yellow_far\\":\\"4b0745bc\\",\\"mooring_buoy\\":\\"8a6d91c0\\",\\"mooring_buoy_far\\":\\"4f80f6dd\\",\\"sinkers\\":\\"be329978\\",\\"chain\\":\\"689ba9fc\\"}", "cryptomatte/3ae39a5/conversion": "uint32_to_float32"}, "compression": "rle", "data_window": [0, 0, 47, 26], "pixel_aspect": 1.0, "display_window": [0, 0, 47, 26]}]}
2	2	0	/shows/sources/tidewrack/TW030/v001	TW030_main_v001.####.exr		{"kind": "openexr", "parts": [{"name": "", "view": "", "storage": "scanline", "channels": [["A", "float", 1, 1], ["B", "float", 1, 1], ["CryptoAsset00.A", "float", 1, 1], ["CryptoAsset00.B", "float", 1, 1], ["CryptoAsset00.G", "float", 1, 1], ["CryptoAsset00.R", "float", 1, 1], ["CryptoAsset01.A", "float", 1, 1], ["CryptoAsset01.B", "float", 1, 1], ["CryptoAsset01.G", "float", 1, 1], ["CryptoAsset01.R", "float", 1, 1], ["CryptoObject00.A", "float", 1, 1], ["CryptoObject00.B", "float", 1, 1], ["CryptoObject00.G", "float", 1, 1], ["CryptoObject00.R", "float", 1, 1], ["CryptoObject01.A", "float", 1, 1], ["CryptoObject01.B", "float", 1, 1], ["CryptoObject01.G", "float", 1, 1], ["CryptoObject01.R", "float", 1, 1], ["G", "float", 1, 1], ["R", "float", 1, 1], ["depth.Z", "float", 1, 1], ["diffuse_colour.B", "half", 1, 1], ["diffuse_colour.G", "half", 1, 1], ["diffuse_colour.R", "half", 1, 1], ["diffuse_direct.B", "half", 1, 1], ["diffuse_direct.G", "half", 1, 1], ["diffuse_direct.R", "half", 1, 1], ["diffuse_indirect.B", "half", 1, 1], ["diffuse_indirect.G", "half", 1, 1], ["diffuse_indirect.R", "half", 1, 1], ["emission.B", "half", 1, 1], ["emission.G", "half", 1, 1], ["emission.R", "half", 1, 1], ["environment.B", "half", 1, 1], ["environment.G", "half", 1, 1], ["environment.R", "half", 1, 1], ["normal.X", "half", 1, 1], ["normal.Y", "half", 1, 1], ["normal.Z", "half", 1, 1], ["occlusion.V", "half", 1, 1], ["position.X", "float", 1, 1], ["position.Y", "float", 1, 1], ["position.Z", "float", 1, 1], ["shadow.V", "half", 1, 1], ["specular_colour.B", "half", 1, 1], ["specular_colour.G", "half", 1, 1], ["specular_colour.R", "half", 1, 1], ["specular_direct.B", "half", 1, 1], ["specular_direct.G", "half", 1, 1], ["specular_direct.R", "half", 1, 1], ["specular_indirect.B", "half", 1, 1], ["specular_indirect.G", "half", 1, 1], ["specular_indirect.R", "half", 1, 1]], "metadata": {"rate": 24.0, "farClip": 1000.0, "nearClip": 0.10000000149011612, "renderer": "drawstring stand-in renderer 1", "depthKind": "along the axis", "sceneUnit": "m", "worldToCamera": [[0.9863143563270569, 0.05592886731028557, -0.1550997942686081, 0.0], [0.0, 0.9407076239585876, 0.33921846747398376, 0.0], [0.16487565636634827, -0.3345760405063629, 0.9278334379196167, 0.0], [-0.32872244715690613, -0.523386538028717, -5.9184465408325195, 1.0]], "pinholeFocalLength": 44.0, "sensorOverallDimensions": [36.0, 20.25], "cryptomatte/3ae39a5/hash": "MurmurHash3_32", "cryptomatte/3ae39a5/name": "CryptoObject", "cryptomatte/f42029d/hash": "MurmurHash3_32", "cryptomatte/f42029d/name": "CryptoAsset", "cryptomatte/3ae39a5/manifest": "{\\"ground\\":\\"c5b51ede\\",\\"painted_buoy\\":\\"4c5fa283\\",\\"chain\\":\\"689ba9fc\\"}", "cryptomatte/f42029d/manifest": "{\\"ground\\":\\"c5b51ede\\",\\"painted\\":\\"e3ea0088\\",\\"chain\\":\\"689ba9fc\\"}", "cryptomatte/3ae39a5/conversion": "uint32_to_float32", "cryptomatte/f42029d/conversion": "uint32_to_float32"}, "compression": "rle", "data_window": [0, 0, 47, 26], "pixel_aspect": 1.0, "display_window": [0, 0, 47, 26]}]}
3	2	1	/shows/sources/tidewrack/TW030/v001	TW030_ground_v001.####.exr		{"kind": "openexr", "parts": [{"name": "", "view": "", "storage": "scanline", "channels": [["B", "half", 1, 1], ["G", "half", 1, 1], ["R", "half", 1, 1]], "metadata": {"rate": 24.0, "farClip": 1000.0, "nearClip": 0.10000000149011612, "renderer": "drawstring stand-in renderer 1", "depthKind": "along the axis", "sceneUnit": "m", "worldToCamera": [[0.9863143563270569, 0.05592886731028557, -0.1550997942686081, 0.0], [0.0, 0.9407076239585876, 0.33921846747398376, 0.0], [0.16487565636634827, -0.3345760405063629, 0.9278334379196167, 0.0], [-0.32872244715690613, -0.523386538028717, -5.9184465408325195, 1.0]], "pinholeFocalLength": 44.0, "sensorOverallDimensions": [36.0, 20.25]}, "compression": "zip", "data_window": [0, 0, 47, 26], "pixel_aspect": 1.0, "display_window": [0, 0, 47, 26]}]}
4	2	2	/shows/sources/tidewrack/TW030/v001	TW030_plate_v001.####.exr		{"kind": "openexr", "parts": [{"name": "", "view": "", "storage": "scanline", "channels": [["B", "half", 1, 1], ["G", "half", 1, 1], ["R", "half", 1, 1]], "metadata": {"rate": 24.0, "farClip": 1000.0, "nearClip": 0.10000000149011612, "renderer": "drawstring stand-in renderer 1", "depthKind": "along the axis", "sceneUnit": "m", "worldToCamera": [[0.9999291300773621, -0.00018419220577925444, 0.011902493424713612, 0.0], [0.0, 0.9998802542686462, 0.015473240986466408, 0.0], [-0.011903918348252773, -0.015472144819796085, 0.9998094439506531, 0.0], [-0.6070998311042786, -1.7589632272720337, 0.5656660199165344, 1.0]], "pinholeFocalLength": 30.0, "sensorOverallDimensions": [36.0, 20.25]}, "compression": "zip", "data_window": [0, 0, 47, 26], "pixel_aspect": 1.0, "display_window": [0, 0, 47, 26]}]}
5	3	0	/shows/sources/tidewrack/TW040/v001	TW040_left_v001.####.exr	left	{"kind": "openexr", "parts": [{"name": "", "view": "", "storage": "scanline", "channels": [["A", "float", 1, 1], ["B", "float", 1, 1], ["CryptoObject00.A", "float", 1, 1], ["CryptoObject00.B", "float", 1, 1], ["CryptoObject00.G", "float", 1, 1], ["CryptoObject00.R", "float", 1, 1], ["CryptoObject01.A", "float", 1, 1], ["CryptoObject01.B", "float", 1, 1], ["CryptoObject01.G", "float", 1, 1], ["CryptoObject01.R", "float", 1, 1], ["G", "float", 1, 1], ["R", "float", 1, 1], ["depth.Z", "float", 1, 1], ["diffuse_colour.B", "half", 1, 1], ["diffuse_colour.G", "half", 1, 1], ["diffuse_colour.R", "half", 1, 1], ["diffuse_direct.B", "half", 1, 1], ["diffuse_direct.G", "half", 1, 1], ["diffuse_direct.R", "half", 1, 1], ["diffuse_indirect.B", "half", 1, 1], ["diffuse_indirect.G", "half", 1, 1], ["diffuse_indirect.R", "half", 1, 1], ["emission.B", "half", 1, 1], ["emission.G", "half", 1, 1], ["emission.R", "half", 1, 1], ["environment.B", "half", 1, 1], ["environment.G", "half", 1, 1], ["environment.R", "half", 1, 1], ["normal.X", "half", 1, 1], ["normal.Y", "half", 1, 1], ["normal.Z", "half", 1, 1], ["occlusion.V", "half", 1, 1], ["position.X", "float", 1, 1], ["position.Y", "float", 1, 1], ["position.Z", "float", 1, 1], ["shadow.V", "half", 1, 1], ["specular_colour.B", "half", 1, 1], ["specular_colour.G", "half", 1, 1], ["specular_colour.R", "half", 1, 1], ["specular_direct.B", "half", 1, 1], ["specular_direct.G", "half", 1, 1], ["specular_direct.R", "half", 1, 1], ["specular_indirect.B", "half", 1, 1], ["specular_indirect.G", "half", 1, 1], ["specular_indirect.R", "half", 1, 1]], "metadata": {"rate": 24.0, "farClip": 1000.0, "nearClip": 0.10000000149011612, "renderer": "drawstring stand-in renderer 1", "depthKind": "along the axis", "sceneUnit": "m", "worldToCamera": [[0.9999291300773621, 0.00021252103033475578, -0.011902021244168282, 0.0], [0.0, 0.9998406171798706, 0.017853030934929848, 0.0], [0.011903918348252773, -0.01785176619887352, 0.9997698068618774, 0.0], [-0.31033286452293396, -1.510546326637268, 0.5772480368614197, 1.0]], "pinholeFocalLength": 32.0, "screenWindowCenter": [0.0077380952425301075, 0.0], "sensorOverallDimensions": [36.0, 20.25], "cryptomatte/3ae39a5/hash": "MurmurHash3_32", "cryptomatte/3ae39a5/name": "CryptoObject", "cryptomatte/3ae39a5/manifest": "{\\"apron\\":\\"f32b6731\\",\\"far_hills\\":\\"4faeb9a8\\",\\"shed\\":\\"633f805d\\",\\"gantry\\":\\"cfd01734\\",\\"buoy_red\\":\\"390fa695\\",\\"buoy_yellow\\":\\"e26f1869\\",\\"buoy_green\\":\\"24326cb9\\",\\"buoy_red_far\\":\\"10388357\\",\\"buoy_yellow_far\\":\\"4b0745bc\\",\\"mooring_buoy\\":\\"8a6d91c0\\",\\"mooring_buoy_far\\":\\"4f80f6dd\\",\\"sinkers\\":\\"be329978\\",\\"chain\\":\\"689ba9fc\\",\\"bell_frame\\":\\"1f1df04e\\",\\"bell\\":\\"f6be6bc3\\",\\"clapper\\":\\"ff05c43d\\",\\"bell_chain\\":\\"4b2e9275\\",\\"buoy_behind\\":\\"ba5b0efb\\",\\"mooring_behind\\":\\"229ee1e7\\",\\"buoy_right\\":\\"33bbc2bb\\",\\"boat_shed\\":\\"79ec886c\\"}", "cryptomatte/3ae39a5/conversion": "uint32_to_float32"}, "compression": "rle", "data_window": [0, 0, 47, 26], "pixel_aspect": 1.0, "display_window": [0, 0, 47, 26]}]}
6	3	1	/shows/sources/tidewrack/TW040/v001	TW040_right_v001.####.exr	right	{"kind": "openexr", "parts": [{"name": "", "view": "", "storage": "scanline", "channels": [["A", "float", 1, 1], ["B", "float", 1, 1], ["CryptoObject00.A", "float", 1, 1], ["CryptoObject00.B", "float", 1, 1], ["CryptoObject00.G", "float", 1, 1], ["CryptoObject00.R", "float", 1, 1], ["CryptoObject01.A", "float", 1, 1], ["CryptoObject01.B", "float", 1, 1], ["CryptoObject01.G", "float", 1, 1], ["CryptoObject01.R", "float", 1, 1], ["G", "float", 1, 1], ["R", "float", 1, 1], ["depth.Z", "float", 1, 1], ["diffuse_colour.B", "half", 1, 1], ["diffuse_colour.G", "half", 1, 1], ["diffuse_colour.R", "half", 1, 1], ["diffuse_direct.B", "half", 1, 1], ["diffuse_direct.G", "half", 1, 1], ["diffuse_direct.R", "half", 1, 1], ["diffuse_indirect.B", "half", 1, 1], ["diffuse_indirect.G", "half", 1, 1], ["diffuse_indirect.R", "half", 1, 1], ["emission.B", "half", 1, 1], ["emission.G", "half", 1, 1], ["emission.R", "half", 1, 1], ["environment.B", "half", 1, 1], ["environment.G", "half", 1, 1], ["environment.R", "half", 1, 1], ["normal.X", "half", 1, 1], ["normal.Y", "half", 1, 1], ["normal.Z", "half", 1, 1], ["occlusion.V", "half", 1, 1], ["position.X", "float", 1, 1], ["position.Y", "float", 1, 1], ["position.Z", "float", 1, 1], ["shadow.V", "half", 1, 1], ["specular_colour.B", "half", 1, 1], ["specular_colour.G", "half", 1, 1], ["specular_colour.R", "half", 1, 1], ["specular_direct.B", "half", 1, 1], ["specular_direct.G", "half", 1, 1], ["specular_direct.R", "half", 1, 1], ["specular_indirect.B", "half", 1, 1], ["specular_indirect.G", "half", 1, 1], ["specular_indirect.R", "half", 1, 1]], "metadata": {"rate": 24.0, "farClip": 1000.0, "nearClip": 0.10000000149011612, "renderer": "drawstring stand-in renderer 1", "depthKind": "along the axis", "sceneUnit": "m", "worldToCamera": [[0.9999291300773621, 0.00021252103033475578, -0.011902021244168282, 0.0], [0.0, 0.9998406171798706, 0.017853030934929848, 0.0], [0.011903918348252773, -0.01785176619887352, 0.9997698068618774, 0.0], [-0.37533286213874817, -1.510546326637268, 0.5772480368614197, 1.0]], "pinholeFocalLength": 32.0, "screenWindowCenter": [-0.0077380952425301075, 0.0], "sensorOverallDimensions": [36.0, 20.25], "cryptomatte/3ae39a5/hash": "MurmurHash3_32", "cryptomatte/3ae39a5/name": "CryptoObject", "cryptomatte/3ae39a5/manifest": "{\\"apron\\":\\"f32b6731\\",\\"far_hills\\":\\"4faeb9a8\\",\\"shed\\":\\"633f805d\\",\\"gantry\\":\\"cfd01734\\",\\"buoy_red\\":\\"390fa695\\",\\"buoy_yellow\\":\\"e26f1869\\",\\"buoy_green\\":\\"24326cb9\\",\\"buoy_red_far\\":\\"10388357\\",\\"buoy_yellow_far\\":\\"4b0745bc\\",\\"mooring_buoy\\":\\"8a6d91c0\\",\\"mooring_buoy_far\\":\\"4f80f6dd\\",\\"sinkers\\":\\"be329978\\",\\"chain\\":\\"689ba9fc\\",\\"bell_frame\\":\\"1f1df04e\\",\\"bell\\":\\"f6be6bc3\\",\\"clapper\\":\\"ff05c43d\\",\\"bell_chain\\":\\"4b2e9275\\",\\"buoy_behind\\":\\"ba5b0efb\\",\\"mooring_behind\\":\\"229ee1e7\\",\\"buoy_right\\":\\"33bbc2bb\\",\\"boat_shed\\":\\"79ec886c\\"}", "cryptomatte/3ae39a5/conversion": "uint32_to_float32"}, "compression": "rle", "data_window": [0, 0, 47, 26], "pixel_aspect": 1.0, "display_window": [0, 0, 47, 26]}]}
\.


--
-- Data for Name: packages; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.packages (id, run_id, state, folder, frames, missing, size_bytes, manifest_checksum, made_at) FROM stdin;
1	1	proven	/shows/packages/Tidewrack/TW010/v001	2	[]	169009	62dc622d078d93c88166b909535db430	2026-11-27 14:48:31.986521+00
\.


--
-- Data for Name: passes; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.passes (id, delivery_id, place, name, layer, role, confidence, reason, view, channels, traits, twin_of, space, space_reason) FROM stdin;
1	1	0	beauty		beauty	0.95	plain R, G, B, and its pixels agree		[[0, 0, "R", "R", "float"], [0, 0, "G", "G", "float"], [0, 0, "B", "B", "float"], [0, 0, "A", "A", "float"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
2	1	1	object_matte	CryptoObject	object_matte	0.97	named CryptoObject, and its pixels agree: its numbers are hashes beside coverages		[[0, 0, "CryptoObject00.R", "00.R", "float"], [0, 0, "CryptoObject00.G", "00.G", "float"], [0, 0, "CryptoObject00.B", "00.B", "float"], [0, 0, "CryptoObject00.A", "00.A", "float"], [0, 0, "CryptoObject01.R", "01.R", "float"], [0, 0, "CryptoObject01.G", "01.G", "float"], [0, 0, "CryptoObject01.B", "01.B", "float"], [0, 0, "CryptoObject01.A", "01.A", "float"]]	[]		linear	
3	1	2	depth	depth	depth	0.97	named depth, and its pixels agree: one channel from 4.93 to 144		[[0, 0, "depth.Z", "Z", "float"]]	["metric"]		linear	
4	1	3	diffuse_colour	diffuse_colour	diffuse_colour	0.95	named diffuse_colour, and its pixels agree		[[0, 0, "diffuse_colour.R", "R", "half"], [0, 0, "diffuse_colour.G", "G", "half"], [0, 0, "diffuse_colour.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
5	1	4	diffuse_direct	diffuse_direct	diffuse_direct	0.95	named diffuse_direct, and its pixels agree		[[0, 0, "diffuse_direct.R", "R", "half"], [0, 0, "diffuse_direct.G", "G", "half"], [0, 0, "diffuse_direct.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
6	1	5	diffuse_indirect	diffuse_indirect	diffuse_indirect	0.95	named diffuse_indirect, and its pixels agree		[[0, 0, "diffuse_indirect.R", "R", "half"], [0, 0, "diffuse_indirect.G", "G", "half"], [0, 0, "diffuse_indirect.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
7	1	6	emission	emission	emission	0.95	named emission, and its pixels agree		[[0, 0, "emission.R", "R", "half"], [0, 0, "emission.G", "G", "half"], [0, 0, "emission.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
8	1	7	environment	environment	environment	0.95	named environment, and its pixels agree		[[0, 0, "environment.R", "R", "half"], [0, 0, "environment.G", "G", "half"], [0, 0, "environment.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
9	1	8	normal	normal	normal	0.97	named normal, and its pixels agree: its pixels have unit length		[[0, 0, "normal.X", "X", "half"], [0, 0, "normal.Y", "Y", "half"], [0, 0, "normal.Z", "Z", "half"]]	[]		linear	
10	1	9	occlusion	occlusion	occlusion	0.95	named occlusion, and its pixels agree		[[0, 0, "occlusion.V", "V", "half"]]	[]		linear	
11	1	10	position	position	position	0.97	named position, and its pixels agree: three channels from -156 to 38.1, many of them negative		[[0, 0, "position.X", "X", "float"], [0, 0, "position.Y", "Y", "float"], [0, 0, "position.Z", "Z", "float"]]	[]		linear	
12	1	11	shadow	shadow	shadow	0.95	named shadow, and its pixels agree		[[0, 0, "shadow.V", "V", "half"]]	[]		linear	
13	1	12	specular_colour	specular_colour	specular_colour	0.95	named specular_colour, and its pixels agree		[[0, 0, "specular_colour.R", "R", "half"], [0, 0, "specular_colour.G", "G", "half"], [0, 0, "specular_colour.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
14	1	13	specular_direct	specular_direct	specular_direct	0.95	named specular_direct, and its pixels agree		[[0, 0, "specular_direct.R", "R", "half"], [0, 0, "specular_direct.G", "G", "half"], [0, 0, "specular_direct.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
15	1	14	specular_indirect	specular_indirect	specular_indirect	0.95	named specular_indirect, and its pixels agree		[[0, 0, "specular_indirect.R", "R", "half"], [0, 0, "specular_indirect.G", "G", "half"], [0, 0, "specular_indirect.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
16	2	0	beauty		beauty	0.95	plain R, G, B, and its pixels agree		[[0, 0, "R", "R", "float"], [0, 0, "G", "G", "float"], [0, 0, "B", "B", "float"], [0, 0, "A", "A", "float"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
17	2	1	asset_matte	CryptoAsset	asset_matte	0.95	named CryptoAsset, and its pixels agree		[[0, 0, "CryptoAsset00.R", "00.R", "float"], [0, 0, "CryptoAsset00.G", "00.G", "float"], [0, 0, "CryptoAsset00.B", "00.B", "float"], [0, 0, "CryptoAsset00.A", "00.A", "float"], [0, 0, "CryptoAsset01.R", "01.R", "float"], [0, 0, "CryptoAsset01.G", "01.G", "float"], [0, 0, "CryptoAsset01.B", "01.B", "float"], [0, 0, "CryptoAsset01.A", "01.A", "float"]]	[]		linear	
18	2	2	object_matte	CryptoObject	object_matte	0.97	named CryptoObject, and its pixels agree: its numbers are hashes beside coverages		[[0, 0, "CryptoObject00.R", "00.R", "float"], [0, 0, "CryptoObject00.G", "00.G", "float"], [0, 0, "CryptoObject00.B", "00.B", "float"], [0, 0, "CryptoObject00.A", "00.A", "float"], [0, 0, "CryptoObject01.R", "01.R", "float"], [0, 0, "CryptoObject01.G", "01.G", "float"], [0, 0, "CryptoObject01.B", "01.B", "float"], [0, 0, "CryptoObject01.A", "01.A", "float"]]	[]		linear	
19	2	3	depth	depth	depth	0.97	named depth, and its pixels agree: one channel from 5.32 to 5.83		[[0, 0, "depth.Z", "Z", "float"]]	["metric"]		linear	
20	2	4	diffuse_colour	diffuse_colour	diffuse_colour	0.95	named diffuse_colour, and its pixels agree		[[0, 0, "diffuse_colour.R", "R", "half"], [0, 0, "diffuse_colour.G", "G", "half"], [0, 0, "diffuse_colour.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
21	2	5	diffuse_direct	diffuse_direct	diffuse_direct	0.95	named diffuse_direct, and its pixels agree		[[0, 0, "diffuse_direct.R", "R", "half"], [0, 0, "diffuse_direct.G", "G", "half"], [0, 0, "diffuse_direct.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
22	2	6	diffuse_indirect	diffuse_indirect	diffuse_indirect	0.95	named diffuse_indirect, and its pixels agree		[[0, 0, "diffuse_indirect.R", "R", "half"], [0, 0, "diffuse_indirect.G", "G", "half"], [0, 0, "diffuse_indirect.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
23	2	7	emission	emission	emission	0.95	named emission, and its pixels agree		[[0, 0, "emission.R", "R", "half"], [0, 0, "emission.G", "G", "half"], [0, 0, "emission.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
24	2	8	environment	environment	environment	0.95	named environment, and its pixels agree		[[0, 0, "environment.R", "R", "half"], [0, 0, "environment.G", "G", "half"], [0, 0, "environment.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
25	2	9	normal	normal	normal	0.97	named normal, and its pixels agree: its pixels have unit length		[[0, 0, "normal.X", "X", "half"], [0, 0, "normal.Y", "Y", "half"], [0, 0, "normal.Z", "Z", "half"]]	[]		linear	
26	2	10	occlusion	occlusion	occlusion	0.95	named occlusion, and its pixels agree		[[0, 0, "occlusion.V", "V", "half"]]	[]		linear	
27	2	11	position	position	position	0.95	named position, and its pixels agree		[[0, 0, "position.X", "X", "float"], [0, 0, "position.Y", "Y", "float"], [0, 0, "position.Z", "Z", "float"]]	[]		linear	
28	2	12	shadow	shadow	shadow	0.95	named shadow, and its pixels agree		[[0, 0, "shadow.V", "V", "half"]]	[]		linear	
29	2	13	specular_colour	specular_colour	specular_colour	0.95	named specular_colour, and its pixels agree		[[0, 0, "specular_colour.R", "R", "half"], [0, 0, "specular_colour.G", "G", "half"], [0, 0, "specular_colour.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
30	2	14	specular_direct	specular_direct	specular_direct	0.95	named specular_direct, and its pixels agree		[[0, 0, "specular_direct.R", "R", "half"], [0, 0, "specular_direct.G", "G", "half"], [0, 0, "specular_direct.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
31	2	15	specular_indirect	specular_indirect	specular_indirect	0.95	named specular_indirect, and its pixels agree		[[0, 0, "specular_indirect.R", "R", "half"], [0, 0, "specular_indirect.G", "G", "half"], [0, 0, "specular_indirect.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
32	2	16	ground_picture	ground	ground_picture	0.95	named ground, by the file's name, and its pixels agree		[[1, 0, "R", "R", "half"], [1, 0, "G", "G", "half"], [1, 0, "B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
33	2	17	plate	plate	plate	0.95	named plate, by the file's name, and its pixels agree		[[2, 0, "R", "R", "half"], [2, 0, "G", "G", "half"], [2, 0, "B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
34	3	0	beauty		beauty	0.95	plain R, G, B, and its pixels agree	left	[[0, 0, "R", "R", "float"], [0, 0, "G", "G", "float"], [0, 0, "B", "B", "float"], [0, 0, "A", "A", "float"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
35	3	1	object_matte	CryptoObject	object_matte	0.97	named CryptoObject, and its pixels agree: its numbers are hashes beside coverages	left	[[0, 0, "CryptoObject00.R", "00.R", "float"], [0, 0, "CryptoObject00.G", "00.G", "float"], [0, 0, "CryptoObject00.B", "00.B", "float"], [0, 0, "CryptoObject00.A", "00.A", "float"], [0, 0, "CryptoObject01.R", "01.R", "float"], [0, 0, "CryptoObject01.G", "01.G", "float"], [0, 0, "CryptoObject01.B", "01.B", "float"], [0, 0, "CryptoObject01.A", "01.A", "float"]]	[]		linear	
36	3	2	depth	depth	depth	0.97	named depth, and its pixels agree: one channel from 2.53 to 142	left	[[0, 0, "depth.Z", "Z", "float"]]	["metric"]		linear	
37	3	3	diffuse_colour	diffuse_colour	diffuse_colour	0.95	named diffuse_colour, and its pixels agree	left	[[0, 0, "diffuse_colour.R", "R", "half"], [0, 0, "diffuse_colour.G", "G", "half"], [0, 0, "diffuse_colour.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
38	3	4	diffuse_direct	diffuse_direct	diffuse_direct	0.95	named diffuse_direct, and its pixels agree	left	[[0, 0, "diffuse_direct.R", "R", "half"], [0, 0, "diffuse_direct.G", "G", "half"], [0, 0, "diffuse_direct.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
39	3	5	diffuse_indirect	diffuse_indirect	diffuse_indirect	0.95	named diffuse_indirect, and its pixels agree	left	[[0, 0, "diffuse_indirect.R", "R", "half"], [0, 0, "diffuse_indirect.G", "G", "half"], [0, 0, "diffuse_indirect.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
40	3	6	emission	emission	emission	0.95	named emission, and its pixels agree	left	[[0, 0, "emission.R", "R", "half"], [0, 0, "emission.G", "G", "half"], [0, 0, "emission.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
41	3	7	environment	environment	environment	0.95	named environment, and its pixels agree	left	[[0, 0, "environment.R", "R", "half"], [0, 0, "environment.G", "G", "half"], [0, 0, "environment.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
42	3	8	normal	normal	normal	0.97	named normal, and its pixels agree: its pixels have unit length	left	[[0, 0, "normal.X", "X", "half"], [0, 0, "normal.Y", "Y", "half"], [0, 0, "normal.Z", "Z", "half"]]	[]		linear	
43	3	9	occlusion	occlusion	occlusion	0.95	named occlusion, and its pixels agree	left	[[0, 0, "occlusion.V", "V", "half"]]	[]		linear	
44	3	10	position	position	position	0.97	named position, and its pixels agree: three channels from -156 to 28.6, many of them negative	left	[[0, 0, "position.X", "X", "float"], [0, 0, "position.Y", "Y", "float"], [0, 0, "position.Z", "Z", "float"]]	[]		linear	
45	3	11	shadow	shadow	shadow	0.95	named shadow, and its pixels agree	left	[[0, 0, "shadow.V", "V", "half"]]	[]		linear	
46	3	12	specular_colour	specular_colour	specular_colour	0.95	named specular_colour, and its pixels agree	left	[[0, 0, "specular_colour.R", "R", "half"], [0, 0, "specular_colour.G", "G", "half"], [0, 0, "specular_colour.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
47	3	13	specular_direct	specular_direct	specular_direct	0.95	named specular_direct, and its pixels agree	left	[[0, 0, "specular_direct.R", "R", "half"], [0, 0, "specular_direct.G", "G", "half"], [0, 0, "specular_direct.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
48	3	14	specular_indirect	specular_indirect	specular_indirect	0.95	named specular_indirect, and its pixels agree	left	[[0, 0, "specular_indirect.R", "R", "half"], [0, 0, "specular_indirect.G", "G", "half"], [0, 0, "specular_indirect.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
49	3	15	right.beauty		beauty	0.95	plain R, G, B, and its pixels agree	right	[[1, 0, "R", "R", "float"], [1, 0, "G", "G", "float"], [1, 0, "B", "B", "float"], [1, 0, "A", "A", "float"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
50	3	16	right.object_matte	CryptoObject	object_matte	0.97	named CryptoObject, and its pixels agree: its numbers are hashes beside coverages	right	[[1, 0, "CryptoObject00.R", "00.R", "float"], [1, 0, "CryptoObject00.G", "00.G", "float"], [1, 0, "CryptoObject00.B", "00.B", "float"], [1, 0, "CryptoObject00.A", "00.A", "float"], [1, 0, "CryptoObject01.R", "01.R", "float"], [1, 0, "CryptoObject01.G", "01.G", "float"], [1, 0, "CryptoObject01.B", "01.B", "float"], [1, 0, "CryptoObject01.A", "01.A", "float"]]	[]		linear	
51	3	17	right.depth	depth	depth	0.97	named depth, and its pixels agree: one channel from 2.53 to 142	right	[[1, 0, "depth.Z", "Z", "float"]]	["metric"]		linear	
52	3	18	right.diffuse_colour	diffuse_colour	diffuse_colour	0.95	named diffuse_colour, and its pixels agree	right	[[1, 0, "diffuse_colour.R", "R", "half"], [1, 0, "diffuse_colour.G", "G", "half"], [1, 0, "diffuse_colour.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
53	3	19	right.diffuse_direct	diffuse_direct	diffuse_direct	0.95	named diffuse_direct, and its pixels agree	right	[[1, 0, "diffuse_direct.R", "R", "half"], [1, 0, "diffuse_direct.G", "G", "half"], [1, 0, "diffuse_direct.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
54	3	20	right.diffuse_indirect	diffuse_indirect	diffuse_indirect	0.95	named diffuse_indirect, and its pixels agree	right	[[1, 0, "diffuse_indirect.R", "R", "half"], [1, 0, "diffuse_indirect.G", "G", "half"], [1, 0, "diffuse_indirect.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
55	3	21	right.emission	emission	emission	0.95	named emission, and its pixels agree	right	[[1, 0, "emission.R", "R", "half"], [1, 0, "emission.G", "G", "half"], [1, 0, "emission.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
56	3	22	right.environment	environment	environment	0.95	named environment, and its pixels agree	right	[[1, 0, "environment.R", "R", "half"], [1, 0, "environment.G", "G", "half"], [1, 0, "environment.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
57	3	23	right.normal	normal	normal	0.97	named normal, and its pixels agree: its pixels have unit length	right	[[1, 0, "normal.X", "X", "half"], [1, 0, "normal.Y", "Y", "half"], [1, 0, "normal.Z", "Z", "half"]]	[]		linear	
58	3	24	right.occlusion	occlusion	occlusion	0.95	named occlusion, and its pixels agree	right	[[1, 0, "occlusion.V", "V", "half"]]	[]		linear	
59	3	25	right.position	position	position	0.97	named position, and its pixels agree: three channels from -158 to 32.2, many of them negative	right	[[1, 0, "position.X", "X", "float"], [1, 0, "position.Y", "Y", "float"], [1, 0, "position.Z", "Z", "float"]]	[]		linear	
60	3	26	right.shadow	shadow	shadow	0.95	named shadow, and its pixels agree	right	[[1, 0, "shadow.V", "V", "half"]]	[]		linear	
61	3	27	right.specular_colour	specular_colour	specular_colour	0.95	named specular_colour, and its pixels agree	right	[[1, 0, "specular_colour.R", "R", "half"], [1, 0, "specular_colour.G", "G", "half"], [1, 0, "specular_colour.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
62	3	28	right.specular_direct	specular_direct	specular_direct	0.95	named specular_direct, and its pixels agree	right	[[1, 0, "specular_direct.R", "R", "half"], [1, 0, "specular_direct.G", "G", "half"], [1, 0, "specular_direct.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
63	3	29	right.specular_indirect	specular_indirect	specular_indirect	0.95	named specular_indirect, and its pixels agree	right	[[1, 0, "specular_indirect.R", "R", "half"], [1, 0, "specular_indirect.G", "G", "half"], [1, 0, "specular_indirect.B", "B", "half"]]	[]		linear	OpenEXR is scene-linear, and its header names no other primaries
\.


--
-- Data for Name: revisions; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.revisions (id, shot_id, number, recipe, digest, said, restores, by, made_at) FROM stdin;
1	1	1	{"eyes": {"yaw": 0.0, "came": "two views", "edge": "black", "keys": {}, "roll": 0.0, "swap": false, "first": "left", "mixed": "display values", "pitch": 0.0, "shift": 0.0, "making": "it is the left eye", "method": "red-cyan, least squares", "needed": false, "deliver": [], "packing": "side by side", "is_round": false, "look_yaw": 0.0, "screen_m": 1.2, "viewer_m": 2.5, "first_out": "left", "left_view": "", "mend_down": 0.0, "mend_gain": [1.0, 1.0, 1.0], "mend_turn": 0.0, "float_left": 0.0, "interaxial": null, "look_field": 80.0, "look_pitch": 0.0, "mend_scale": 100.0, "own_matrix": [], "right_view": "", "settled_on": "", "convergence": null, "float_right": 0.0, "anaglyph_file": "png", "anaglyph_view": "plain"}, "form": 1, "pack": {"also": [], "rows": {}, "alpha": "premultiplied", "files": "one file", "order": [], "parts": "one part", "reach": "all that came", "style": "small words", "needed": true, "tiling": "scan lines", "padding": 4, "profile": null, "constants": [], "dwa_level": 45.0, "file_name": "", "line_order": "top line first", "settled_on": "", "compression": "zip", "start_frame": null, "picture_file": "png", "picture_view": "film-like"}, "alpha": {"cut": "not cut", "over": "black", "clamp": false, "kinds": {}, "sends": "picture", "stack": [], "ground": [0.0, 0.0, 0.0], "groups": [], "mattes": [], "needed": true, "shadow": {"on": false, "keys": {}, "tint": [0.0, 0.0, 0.0], "floor": 0.0, "grows": 0.0, "order": 5, "quiet": 0.0, "ground": "smooth", "lit_is": "white", "passes": [], "soften": 0.0, "source": "two renders", "ceiling": 1.0, "strokes": [], "coloured": true, "strength": 1.0, "together": "product", "on_ground": "", "keep_shape": [], "clear_shape": [], "with_shadow": "", "without_shadow": ""}, "as_names": false, "cut_matte": "", "settled_on": "", "over_colour": [0.5, 0.5, 0.5], "straight_too": false}, "depth": {"far": null, "mist": [], "near": null, "along": "axis", "edges": "keep", "focus": {"by": "lens", "on": false, "keys": {}, "stop": 2.8, "tilt": 0.0, "turn": 0.0, "limit": 5.0, "swing": 0.0, "blades": 0, "distance": 10.0, "focal_mm": null, "far_reach": 40.0, "radius_in": "px", "far_radius": 8.0, "near_reach": 5.0, "filmback_mm": null, "near_radius": 8.0}, "views": {}, "locked": false, "needed": true, "arrived": {"far": null, "near": null, "unit": "scene", "along": "axis", "holds": "distances", "mapping": "linear", "focal_mm": null, "white_is": "near", "filmback_mm": null}, "mapping": "linear", "nothing": "as far end", "white_is": "near", "overshoot": "clamp", "settled_on": ""}, "arrivals": {"last": null, "first": null, "needed": true, "spaces": {}, "settled_on": "758c5dc82627cc36b4c8f90b8df72cb0"}}	b4bfa74ef2fe2fa4	accepted TW010_main_v001.####.exr	\N		2026-11-27 14:48:29.792854+00
2	1	2	{"eyes": {"yaw": 0.0, "came": "two views", "edge": "black", "keys": {}, "roll": 0.0, "swap": false, "first": "left", "mixed": "display values", "pitch": 0.0, "shift": 0.0, "making": "it is the left eye", "method": "red-cyan, least squares", "needed": false, "deliver": [], "packing": "side by side", "is_round": false, "look_yaw": 0.0, "screen_m": 1.2, "viewer_m": 2.5, "first_out": "left", "left_view": "", "mend_down": 0.0, "mend_gain": [1.0, 1.0, 1.0], "mend_turn": 0.0, "float_left": 0.0, "interaxial": null, "look_field": 80.0, "look_pitch": 0.0, "mend_scale": 100.0, "own_matrix": [], "right_view": "", "settled_on": "", "convergence": null, "float_right": 0.0, "anaglyph_file": "png", "anaglyph_view": "plain"}, "form": 1, "pack": {"also": [], "rows": {}, "alpha": "premultiplied", "files": "one file", "order": [], "parts": "one part", "reach": "all that came", "style": "small words", "needed": true, "tiling": "scan lines", "padding": 4, "profile": null, "constants": [], "dwa_level": 45.0, "file_name": "", "line_order": "top line first", "settled_on": "", "compression": "zip", "start_frame": null, "picture_file": "png", "picture_view": "film-like"}, "alpha": {"cut": "not cut", "over": "black", "clamp": false, "kinds": {}, "sends": "picture", "stack": [], "ground": [0.0, 0.0, 0.0], "groups": [], "mattes": [], "needed": true, "shadow": {"on": false, "keys": {}, "tint": [0.0, 0.0, 0.0], "floor": 0.0, "grows": 0.0, "order": 5, "quiet": 0.0, "ground": "smooth", "lit_is": "white", "passes": [], "soften": 0.0, "source": "two renders", "ceiling": 1.0, "strokes": [], "coloured": true, "strength": 1.0, "together": "product", "on_ground": "", "keep_shape": [], "clear_shape": [], "with_shadow": "", "without_shadow": ""}, "as_names": false, "cut_matte": "", "settled_on": "", "over_colour": [0.5, 0.5, 0.5], "straight_too": false}, "depth": {"far": 90.0, "mist": [{"on": true, "up": "y", "low": 0.0, "base": null, "high": 1.0, "keys": {}, "name": "ground", "depth": 10.0, "start": 1.0, "thins": 5.0, "beyond": "full", "colour": [0.5, 0.52, 0.55], "source": "depth", "density": 0.02, "falloff": "linear", "strength": 1.0, "clear_soft": 0.0, "clear_alpha": false, "clear_matte": "", "clear_names": [], "clear_shape": []}], "near": 4.8, "along": "axis", "edges": "keep", "focus": {"by": "lens", "on": false, "keys": {}, "stop": 2.8, "tilt": 0.0, "turn": 0.0, "limit": 5.0, "swing": 0.0, "blades": 0, "distance": 10.0, "focal_mm": null, "far_reach": 40.0, "radius_in": "px", "far_radius": 8.0, "near_reach": 5.0, "filmback_mm": null, "near_radius": 8.0}, "views": {}, "locked": false, "needed": true, "arrived": {"far": null, "near": null, "unit": "scene", "along": "axis", "holds": "distances", "mapping": "linear", "focal_mm": null, "white_is": "near", "filmback_mm": null}, "mapping": "linear", "nothing": "as far end", "white_is": "near", "overshoot": "clamp", "settled_on": ""}, "arrivals": {"last": null, "first": null, "needed": true, "spaces": {}, "settled_on": "758c5dc82627cc36b4c8f90b8df72cb0"}}	26ba7eb37e37f13b	depth.near = 4.8, depth.far = 90, depth.mist.add = ground	\N		2026-11-27 14:48:29.799178+00
3	1	3	{"eyes": {"yaw": 0.0, "came": "two views", "edge": "black", "keys": {}, "roll": 0.0, "swap": false, "first": "left", "mixed": "display values", "pitch": 0.0, "shift": 0.0, "making": "it is the left eye", "method": "red-cyan, least squares", "needed": false, "deliver": [], "packing": "side by side", "is_round": false, "look_yaw": 0.0, "screen_m": 1.2, "viewer_m": 2.5, "first_out": "left", "left_view": "", "mend_down": 0.0, "mend_gain": [1.0, 1.0, 1.0], "mend_turn": 0.0, "float_left": 0.0, "interaxial": null, "look_field": 80.0, "look_pitch": 0.0, "mend_scale": 100.0, "own_matrix": [], "right_view": "", "settled_on": "", "convergence": null, "float_right": 0.0, "anaglyph_file": "png", "anaglyph_view": "plain"}, "form": 1, "pack": {"also": [], "rows": {}, "alpha": "premultiplied", "files": "one file", "order": [], "parts": "one part", "reach": "all that came", "style": "small words", "needed": true, "tiling": "scan lines", "padding": 4, "profile": null, "constants": [], "dwa_level": 45.0, "file_name": "", "line_order": "top line first", "settled_on": "", "compression": "zip", "start_frame": null, "picture_file": "png", "picture_view": "film-like"}, "alpha": {"cut": "not cut", "over": "black", "clamp": false, "kinds": {}, "sends": "picture", "stack": [], "ground": [0.0, 0.0, 0.0], "groups": [], "mattes": [], "needed": true, "shadow": {"on": false, "keys": {}, "tint": [0.0, 0.0, 0.0], "floor": 0.0, "grows": 0.0, "order": 5, "quiet": 0.0, "ground": "smooth", "lit_is": "white", "passes": [], "soften": 0.0, "source": "two renders", "ceiling": 1.0, "strokes": [], "coloured": true, "strength": 1.0, "together": "product", "on_ground": "", "keep_shape": [], "clear_shape": [], "with_shadow": "", "without_shadow": ""}, "as_names": false, "cut_matte": "", "settled_on": "", "over_colour": [0.5, 0.5, 0.5], "straight_too": false}, "depth": {"far": 90.0, "mist": [{"on": true, "up": "y", "low": 0.0, "base": null, "high": 1.0, "keys": {}, "name": "ground", "depth": 10.0, "start": 1.0, "thins": 5.0, "beyond": "full", "colour": [0.5, 0.52, 0.55], "source": "depth", "density": 0.02, "falloff": "linear", "strength": 1.0, "clear_soft": 0.0, "clear_alpha": false, "clear_matte": "", "clear_names": [], "clear_shape": []}], "near": 4.8, "along": "axis", "edges": "keep", "focus": {"by": "lens", "on": false, "keys": {}, "stop": 2.8, "tilt": 0.0, "turn": 0.0, "limit": 5.0, "swing": 0.0, "blades": 0, "distance": 10.0, "focal_mm": null, "far_reach": 40.0, "radius_in": "px", "far_radius": 8.0, "near_reach": 5.0, "filmback_mm": null, "near_radius": 8.0}, "views": {}, "locked": false, "needed": true, "arrived": {"far": null, "near": null, "unit": "scene", "along": "axis", "holds": "distances", "mapping": "linear", "focal_mm": null, "white_is": "near", "filmback_mm": null}, "mapping": "linear", "nothing": "as far end", "white_is": "near", "overshoot": "clamp", "settled_on": "758c5dc82627cc36b4c8f90b8df72cb0"}, "arrivals": {"last": null, "first": null, "needed": true, "spaces": {}, "settled_on": "758c5dc82627cc36b4c8f90b8df72cb0"}}	26ba7eb37e37f13b	settled depth	\N		2026-11-27 14:48:29.80321+00
4	1	4	{"eyes": {"yaw": 0.0, "came": "two views", "edge": "black", "keys": {}, "roll": 0.0, "swap": false, "first": "left", "mixed": "display values", "pitch": 0.0, "shift": 0.0, "making": "it is the left eye", "method": "red-cyan, least squares", "needed": false, "deliver": [], "packing": "side by side", "is_round": false, "look_yaw": 0.0, "screen_m": 1.2, "viewer_m": 2.5, "first_out": "left", "left_view": "", "mend_down": 0.0, "mend_gain": [1.0, 1.0, 1.0], "mend_turn": 0.0, "float_left": 0.0, "interaxial": null, "look_field": 80.0, "look_pitch": 0.0, "mend_scale": 100.0, "own_matrix": [], "right_view": "", "settled_on": "", "convergence": null, "float_right": 0.0, "anaglyph_file": "png", "anaglyph_view": "plain"}, "form": 1, "pack": {"also": [], "rows": {}, "alpha": "premultiplied", "files": "one file", "order": [], "parts": "one part", "reach": "all that came", "style": "small words", "needed": true, "tiling": "scan lines", "padding": 4, "profile": null, "constants": [], "dwa_level": 45.0, "file_name": "", "line_order": "top line first", "settled_on": "", "compression": "zip", "start_frame": null, "picture_file": "png", "picture_view": "film-like"}, "alpha": {"cut": "not cut", "over": "black", "clamp": false, "kinds": {}, "sends": "picture", "stack": [], "ground": [0.0, 0.0, 0.0], "groups": [], "mattes": [], "needed": true, "shadow": {"on": false, "keys": {}, "tint": [0.0, 0.0, 0.0], "floor": 0.0, "grows": 0.0, "order": 5, "quiet": 0.0, "ground": "smooth", "lit_is": "white", "passes": [], "soften": 0.0, "source": "two renders", "ceiling": 1.0, "strokes": [], "coloured": true, "strength": 1.0, "together": "product", "on_ground": "", "keep_shape": [], "clear_shape": [], "with_shadow": "", "without_shadow": ""}, "as_names": false, "cut_matte": "", "settled_on": "", "over_colour": [0.5, 0.5, 0.5], "straight_too": false}, "depth": {"far": 90.0, "mist": [{"on": true, "up": "y", "low": 0.0, "base": null, "high": 1.0, "keys": {}, "name": "ground", "depth": 10.0, "start": 1.0, "thins": 5.0, "beyond": "full", "colour": [0.5, 0.52, 0.55], "source": "depth", "density": 0.02, "falloff": "linear", "strength": 1.0, "clear_soft": 0.0, "clear_alpha": false, "clear_matte": "", "clear_names": [], "clear_shape": []}], "near": 4.8, "along": "axis", "edges": "keep", "focus": {"by": "lens", "on": false, "keys": {}, "stop": 2.8, "tilt": 0.0, "turn": 0.0, "limit": 5.0, "swing": 0.0, "blades": 0, "distance": 12.0, "focal_mm": null, "far_reach": 40.0, "radius_in": "px", "far_radius": 8.0, "near_reach": 5.0, "filmback_mm": null, "near_radius": 8.0}, "views": {}, "locked": false, "needed": true, "arrived": {"far": null, "near": null, "unit": "scene", "along": "axis", "holds": "distances", "mapping": "linear", "focal_mm": null, "white_is": "near", "filmback_mm": null}, "mapping": "linear", "nothing": "as far end", "white_is": "near", "overshoot": "clamp", "settled_on": ""}, "arrivals": {"last": null, "first": null, "needed": true, "spaces": {}, "settled_on": "758c5dc82627cc36b4c8f90b8df72cb0"}}	1035983883f76482	depth.focus.distance = 12	\N		2026-11-27 14:48:29.806987+00
5	1	5	{"eyes": {"yaw": 0.0, "came": "two views", "edge": "black", "keys": {}, "roll": 0.0, "swap": false, "first": "left", "mixed": "display values", "pitch": 0.0, "shift": 0.0, "making": "it is the left eye", "method": "red-cyan, least squares", "needed": false, "deliver": [], "packing": "side by side", "is_round": false, "look_yaw": 0.0, "screen_m": 1.2, "viewer_m": 2.5, "first_out": "left", "left_view": "", "mend_down": 0.0, "mend_gain": [1.0, 1.0, 1.0], "mend_turn": 0.0, "float_left": 0.0, "interaxial": null, "look_field": 80.0, "look_pitch": 0.0, "mend_scale": 100.0, "own_matrix": [], "right_view": "", "settled_on": "", "convergence": null, "float_right": 0.0, "anaglyph_file": "png", "anaglyph_view": "plain"}, "form": 1, "pack": {"also": [], "rows": {}, "alpha": "premultiplied", "files": "one file", "order": [], "parts": "one part", "reach": "all that came", "style": "small words", "needed": true, "tiling": "scan lines", "padding": 4, "profile": null, "constants": [], "dwa_level": 45.0, "file_name": "", "line_order": "top line first", "settled_on": "", "compression": "zip", "start_frame": null, "picture_file": "png", "picture_view": "film-like"}, "alpha": {"cut": "not cut", "over": "black", "clamp": false, "kinds": {}, "sends": "picture", "stack": [], "ground": [0.0, 0.0, 0.0], "groups": [], "mattes": [], "needed": true, "shadow": {"on": false, "keys": {}, "tint": [0.0, 0.0, 0.0], "floor": 0.0, "grows": 0.0, "order": 5, "quiet": 0.0, "ground": "smooth", "lit_is": "white", "passes": [], "soften": 0.0, "source": "two renders", "ceiling": 1.0, "strokes": [], "coloured": true, "strength": 1.0, "together": "product", "on_ground": "", "keep_shape": [], "clear_shape": [], "with_shadow": "", "without_shadow": ""}, "as_names": false, "cut_matte": "", "settled_on": "", "over_colour": [0.5, 0.5, 0.5], "straight_too": false}, "depth": {"far": 90.0, "mist": [{"on": true, "up": "y", "low": 0.0, "base": null, "high": 1.0, "keys": {}, "name": "ground", "depth": 10.0, "start": 1.0, "thins": 5.0, "beyond": "full", "colour": [0.5, 0.52, 0.55], "source": "depth", "density": 0.02, "falloff": "linear", "strength": 1.0, "clear_soft": 0.0, "clear_alpha": false, "clear_matte": "", "clear_names": [], "clear_shape": []}], "near": 4.8, "along": "axis", "edges": "keep", "focus": {"by": "lens", "on": false, "keys": {}, "stop": 2.8, "tilt": 0.0, "turn": 0.0, "limit": 5.0, "swing": 0.0, "blades": 0, "distance": 12.0, "focal_mm": null, "far_reach": 40.0, "radius_in": "px", "far_radius": 8.0, "near_reach": 5.0, "filmback_mm": null, "near_radius": 8.0}, "views": {}, "locked": false, "needed": true, "arrived": {"far": null, "near": null, "unit": "scene", "along": "axis", "holds": "distances", "mapping": "linear", "focal_mm": null, "white_is": "near", "filmback_mm": null}, "mapping": "linear", "nothing": "as far end", "white_is": "near", "overshoot": "clamp", "settled_on": "758c5dc82627cc36b4c8f90b8df72cb0"}, "arrivals": {"last": null, "first": null, "needed": true, "spaces": {}, "settled_on": "758c5dc82627cc36b4c8f90b8df72cb0"}}	1035983883f76482	settled depth	\N		2026-11-27 14:48:29.810627+00
6	2	1	{"eyes": {"yaw": 0.0, "came": "two views", "edge": "black", "keys": {}, "roll": 0.0, "swap": false, "first": "left", "mixed": "display values", "pitch": 0.0, "shift": 0.0, "making": "it is the left eye", "method": "red-cyan, least squares", "needed": false, "deliver": [], "packing": "side by side", "is_round": false, "look_yaw": 0.0, "screen_m": 1.2, "viewer_m": 2.5, "first_out": "left", "left_view": "", "mend_down": 0.0, "mend_gain": [1.0, 1.0, 1.0], "mend_turn": 0.0, "float_left": 0.0, "interaxial": null, "look_field": 80.0, "look_pitch": 0.0, "mend_scale": 100.0, "own_matrix": [], "right_view": "", "settled_on": "", "convergence": null, "float_right": 0.0, "anaglyph_file": "png", "anaglyph_view": "plain"}, "form": 1, "pack": {"also": [], "rows": {}, "alpha": "premultiplied", "files": "one file", "order": [], "parts": "one part", "reach": "all that came", "style": "small words", "needed": true, "tiling": "scan lines", "padding": 4, "profile": null, "constants": [], "dwa_level": 45.0, "file_name": "", "line_order": "top line first", "settled_on": "", "compression": "zip", "start_frame": null, "picture_file": "png", "picture_view": "film-like"}, "alpha": {"cut": "not cut", "over": "black", "clamp": false, "kinds": {}, "sends": "picture", "stack": [], "ground": [0.0, 0.0, 0.0], "groups": [], "mattes": [], "needed": true, "shadow": {"on": false, "keys": {}, "tint": [0.0, 0.0, 0.0], "floor": 0.0, "grows": 0.0, "order": 5, "quiet": 0.0, "ground": "smooth", "lit_is": "white", "passes": [], "soften": 0.0, "source": "two renders", "ceiling": 1.0, "strokes": [], "coloured": true, "strength": 1.0, "together": "product", "on_ground": "", "keep_shape": [], "clear_shape": [], "with_shadow": "", "without_shadow": ""}, "as_names": false, "cut_matte": "", "settled_on": "", "over_colour": [0.5, 0.5, 0.5], "straight_too": false}, "depth": {"far": null, "mist": [], "near": null, "along": "axis", "edges": "keep", "focus": {"by": "lens", "on": false, "keys": {}, "stop": 2.8, "tilt": 0.0, "turn": 0.0, "limit": 5.0, "swing": 0.0, "blades": 0, "distance": 10.0, "focal_mm": null, "far_reach": 40.0, "radius_in": "px", "far_radius": 8.0, "near_reach": 5.0, "filmback_mm": null, "near_radius": 8.0}, "views": {}, "locked": false, "needed": true, "arrived": {"far": null, "near": null, "unit": "scene", "along": "axis", "holds": "distances", "mapping": "linear", "focal_mm": null, "white_is": "near", "filmback_mm": null}, "mapping": "linear", "nothing": "as far end", "white_is": "near", "overshoot": "clamp", "settled_on": ""}, "arrivals": {"last": null, "first": null, "needed": true, "spaces": {}, "settled_on": "a01966e4697d2ce808b7ae9d1fa7e131"}}	b4bfa74ef2fe2fa4	accepted TW030_main_v001.####.exr	\N		2026-11-27 14:48:29.856002+00
7	3	1	{"eyes": {"yaw": 0.0, "came": "two views", "edge": "black", "keys": {}, "roll": 0.0, "swap": false, "first": "left", "mixed": "display values", "pitch": 0.0, "shift": 0.0, "making": "it is the left eye", "method": "red-cyan, least squares", "needed": false, "deliver": [], "packing": "side by side", "is_round": false, "look_yaw": 0.0, "screen_m": 1.2, "viewer_m": 2.5, "first_out": "left", "left_view": "", "mend_down": 0.0, "mend_gain": [1.0, 1.0, 1.0], "mend_turn": 0.0, "float_left": 0.0, "interaxial": null, "look_field": 80.0, "look_pitch": 0.0, "mend_scale": 100.0, "own_matrix": [], "right_view": "", "settled_on": "", "convergence": null, "float_right": 0.0, "anaglyph_file": "png", "anaglyph_view": "plain"}, "form": 1, "pack": {"also": [], "rows": {}, "alpha": "premultiplied", "files": "one file", "order": [], "parts": "one part", "reach": "all that came", "style": "small words", "needed": true, "tiling": "scan lines", "padding": 4, "profile": null, "constants": [], "dwa_level": 45.0, "file_name": "", "line_order": "top line first", "settled_on": "", "compression": "zip", "start_frame": null, "picture_file": "png", "picture_view": "film-like"}, "alpha": {"cut": "not cut", "over": "black", "clamp": false, "kinds": {}, "sends": "picture", "stack": [], "ground": [0.0, 0.0, 0.0], "groups": [], "mattes": [], "needed": true, "shadow": {"on": false, "keys": {}, "tint": [0.0, 0.0, 0.0], "floor": 0.0, "grows": 0.0, "order": 5, "quiet": 0.0, "ground": "smooth", "lit_is": "white", "passes": [], "soften": 0.0, "source": "two renders", "ceiling": 1.0, "strokes": [], "coloured": true, "strength": 1.0, "together": "product", "on_ground": "", "keep_shape": [], "clear_shape": [], "with_shadow": "", "without_shadow": ""}, "as_names": false, "cut_matte": "", "settled_on": "", "over_colour": [0.5, 0.5, 0.5], "straight_too": false}, "depth": {"far": null, "mist": [], "near": null, "along": "axis", "edges": "keep", "focus": {"by": "lens", "on": false, "keys": {}, "stop": 2.8, "tilt": 0.0, "turn": 0.0, "limit": 5.0, "swing": 0.0, "blades": 0, "distance": 10.0, "focal_mm": null, "far_reach": 40.0, "radius_in": "px", "far_radius": 8.0, "near_reach": 5.0, "filmback_mm": null, "near_radius": 8.0}, "views": {}, "locked": false, "needed": true, "arrived": {"far": null, "near": null, "unit": "scene", "along": "axis", "holds": "distances", "mapping": "linear", "focal_mm": null, "white_is": "near", "filmback_mm": null}, "mapping": "linear", "nothing": "as far end", "white_is": "near", "overshoot": "clamp", "settled_on": ""}, "arrivals": {"last": null, "first": null, "needed": true, "spaces": {}, "settled_on": "77dd545ff3e65c54c5cc3c7157d1c0ab"}}	b4bfa74ef2fe2fa4	accepted TW040_left_v001.####.exr	\N		2026-11-27 14:48:29.905975+00
8	3	2	{"eyes": {"yaw": 0.0, "came": "two views", "edge": "black", "keys": {}, "roll": 0.0, "swap": false, "first": "left", "mixed": "display values", "pitch": 0.0, "shift": 0.0, "making": "it is the left eye", "method": "red-cyan, least squares", "needed": true, "deliver": [], "packing": "side by side", "is_round": false, "look_yaw": 0.0, "screen_m": 1.2, "viewer_m": 2.5, "first_out": "left", "left_view": "", "mend_down": 0.0, "mend_gain": [1.0, 1.0, 1.0], "mend_turn": 0.0, "float_left": 0.0, "interaxial": null, "look_field": 80.0, "look_pitch": 0.0, "mend_scale": 100.0, "own_matrix": [], "right_view": "", "settled_on": "", "convergence": null, "float_right": 0.0, "anaglyph_file": "png", "anaglyph_view": "plain"}, "form": 1, "pack": {"also": [], "rows": {}, "alpha": "premultiplied", "files": "one file", "order": [], "parts": "one part", "reach": "all that came", "style": "small words", "needed": true, "tiling": "scan lines", "padding": 4, "profile": null, "constants": [], "dwa_level": 45.0, "file_name": "", "line_order": "top line first", "settled_on": "", "compression": "zip", "start_frame": null, "picture_file": "png", "picture_view": "film-like"}, "alpha": {"cut": "not cut", "over": "black", "clamp": false, "kinds": {}, "sends": "picture", "stack": [], "ground": [0.0, 0.0, 0.0], "groups": [], "mattes": [], "needed": true, "shadow": {"on": false, "keys": {}, "tint": [0.0, 0.0, 0.0], "floor": 0.0, "grows": 0.0, "order": 5, "quiet": 0.0, "ground": "smooth", "lit_is": "white", "passes": [], "soften": 0.0, "source": "two renders", "ceiling": 1.0, "strokes": [], "coloured": true, "strength": 1.0, "together": "product", "on_ground": "", "keep_shape": [], "clear_shape": [], "with_shadow": "", "without_shadow": ""}, "as_names": false, "cut_matte": "", "settled_on": "", "over_colour": [0.5, 0.5, 0.5], "straight_too": false}, "depth": {"far": null, "mist": [], "near": null, "along": "axis", "edges": "keep", "focus": {"by": "lens", "on": false, "keys": {}, "stop": 2.8, "tilt": 0.0, "turn": 0.0, "limit": 5.0, "swing": 0.0, "blades": 0, "distance": 10.0, "focal_mm": null, "far_reach": 40.0, "radius_in": "px", "far_radius": 8.0, "near_reach": 5.0, "filmback_mm": null, "near_radius": 8.0}, "views": {}, "locked": false, "needed": true, "arrived": {"far": null, "near": null, "unit": "scene", "along": "axis", "holds": "distances", "mapping": "linear", "focal_mm": null, "white_is": "near", "filmback_mm": null}, "mapping": "linear", "nothing": "as far end", "white_is": "near", "overshoot": "clamp", "settled_on": ""}, "arrivals": {"last": null, "first": null, "needed": true, "spaces": {}, "settled_on": "77dd545ff3e65c54c5cc3c7157d1c0ab"}}	5f32a461d55e21cf	eyes.needed = yes	\N		2026-11-27 14:48:29.91057+00
\.


--
-- Data for Name: run_frames; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.run_frames (run_id, number, state, attempts, file_name, size_bytes, seconds, checksum, proof, fault, ended_at, log, worker, memory_bytes) FROM stdin;
1	1010	proven	1	TW010_v001.1010.exr	83421	0	f5658843996d3ebfee4f74191ba6fbe7	{"equal": 51, "reader": "OpenImageIO 3.2.2.0", "rounded": {}, "channels": 51, "held_at_half_limit": {}, "largest_difference": {}}	{}	2026-11-27 14:48:31.965705+00	[{"at": 0.003, "says": "read 45 channels of 1 file"}, {"at": 1.711, "says": "computed 51 channels"}, {"at": 1.715, "says": "wrote TW010_v001.1010.exr, 0.1 MB"}, {"at": 2.007, "says": "read back: 51 of 51 channels equal"}]		0
1	1011	proven	1	TW010_v001.1011.exr	85588	0	59b2c225045a9dade6ddae911639b61b	{"equal": 51, "reader": "OpenImageIO 3.2.2.0", "rounded": {}, "channels": 51, "held_at_half_limit": {}, "largest_difference": {}}	{}	2026-11-27 14:48:31.978104+00	[{"at": 0.003, "says": "read 45 channels of 1 file"}, {"at": 0.004, "says": "computed 51 channels"}, {"at": 0.008, "says": "wrote TW010_v001.1011.exr, 0.1 MB"}, {"at": 0.012, "says": "read back: 51 of 51 channels equal"}]		0
\.


--
-- Data for Name: runs; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.runs (id, shot_id, delivery_id, revision_id, version, state, folder, notes, by, asked_at, started_at, ended_at, priority) FROM stdin;
1	1	1	5	1	done	/shows/packages/Tidewrack/TW010/v001	[]		2026-11-27 14:48:29.946036+00	\N	\N	0
\.


--
-- Data for Name: scans; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.scans (id, show_id, folder, state, doing, done, total, result, fault, asked_at, ended_at) FROM stdin;
\.


--
-- Data for Name: sendings; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.sendings (id, package_id, inbox, address, state, tries, due_at, done_bytes, total_bytes, receipt, fault, by, asked_at, ended_at) FROM stdin;
\.


--
-- Data for Name: shots; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.shots (id, show_id, code, title, delivery_id, made_at) FROM stdin;
1	1	TW010	TW010 as it was	1	2026-11-27 14:48:29.755601+00
2	1	TW030	TW030 as it was	2	2026-11-27 14:48:29.832624+00
3	1	TW040	TW040 as it was	3	2026-11-27 14:48:29.883871+00
\.


--
-- Data for Name: shows; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.shows (id, code, title, fps, scene_unit, patterns, made_at, profiles, defaults) FROM stdin;
1	Tidewrack	Tidewrack	24	m	[]	2026-11-27 14:48:29.734075+00	[]	{}
\.


--
-- Data for Name: tokens; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.tokens (id, name, digest, made_at, used_at) FROM stdin;
\.


--
-- Data for Name: watched_folders; Type: TABLE DATA; Schema: public; Owner: -
--

COPY public.watched_folders (id, show_id, folder, listing) FROM stdin;
\.


--
-- Name: deliveries_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.deliveries_id_seq', 3, true);


--
-- Name: dictionary_entries_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.dictionary_entries_id_seq', 1, false);


--
-- Name: dismissals_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.dismissals_id_seq', 1, false);


--
-- Name: measurements_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.measurements_id_seq', 6, true);


--
-- Name: members_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.members_id_seq', 6, true);


--
-- Name: packages_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.packages_id_seq', 1, true);


--
-- Name: passes_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.passes_id_seq', 63, true);


--
-- Name: revisions_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.revisions_id_seq', 8, true);


--
-- Name: runs_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.runs_id_seq', 1, true);


--
-- Name: scans_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.scans_id_seq', 1, false);


--
-- Name: sendings_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.sendings_id_seq', 1, false);


--
-- Name: shots_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.shots_id_seq', 3, true);


--
-- Name: shows_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.shows_id_seq', 1, true);


--
-- Name: tokens_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.tokens_id_seq', 1, false);


--
-- Name: watched_folders_id_seq; Type: SEQUENCE SET; Schema: public; Owner: -
--

SELECT pg_catalog.setval('public.watched_folders_id_seq', 1, false);


--
-- Name: alembic_version alembic_version_pkc; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.alembic_version
    ADD CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num);


--
-- Name: deliveries deliveries_id_shot_id_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.deliveries
    ADD CONSTRAINT deliveries_id_shot_id_key UNIQUE (id, shot_id);


--
-- Name: deliveries deliveries_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.deliveries
    ADD CONSTRAINT deliveries_pkey PRIMARY KEY (id);


--
-- Name: deliveries deliveries_shot_id_digest_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.deliveries
    ADD CONSTRAINT deliveries_shot_id_digest_key UNIQUE (shot_id, digest);


--
-- Name: dictionary_entries dictionary_entries_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.dictionary_entries
    ADD CONSTRAINT dictionary_entries_pkey PRIMARY KEY (id);


--
-- Name: dictionary_entries dictionary_entries_show_id_kind_text_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.dictionary_entries
    ADD CONSTRAINT dictionary_entries_show_id_kind_text_key UNIQUE (show_id, kind, text);


--
-- Name: dismissals dismissals_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.dismissals
    ADD CONSTRAINT dismissals_pkey PRIMARY KEY (id);


--
-- Name: dismissals dismissals_shot_id_fact_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.dismissals
    ADD CONSTRAINT dismissals_shot_id_fact_key UNIQUE (shot_id, fact);


--
-- Name: frames frames_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.frames
    ADD CONSTRAINT frames_pkey PRIMARY KEY (member_id, number);


--
-- Name: measurements measurements_delivery_id_kind_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.measurements
    ADD CONSTRAINT measurements_delivery_id_kind_key UNIQUE (delivery_id, kind);


--
-- Name: measurements measurements_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.measurements
    ADD CONSTRAINT measurements_pkey PRIMARY KEY (id);


--
-- Name: members members_delivery_id_place_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.members
    ADD CONSTRAINT members_delivery_id_place_key UNIQUE (delivery_id, place);


--
-- Name: members members_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.members
    ADD CONSTRAINT members_pkey PRIMARY KEY (id);


--
-- Name: packages packages_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.packages
    ADD CONSTRAINT packages_pkey PRIMARY KEY (id);


--
-- Name: packages packages_run_id_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.packages
    ADD CONSTRAINT packages_run_id_key UNIQUE (run_id);


--
-- Name: passes passes_delivery_id_name_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.passes
    ADD CONSTRAINT passes_delivery_id_name_key UNIQUE (delivery_id, name);


--
-- Name: passes passes_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.passes
    ADD CONSTRAINT passes_pkey PRIMARY KEY (id);


--
-- Name: revisions revisions_id_shot_id_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.revisions
    ADD CONSTRAINT revisions_id_shot_id_key UNIQUE (id, shot_id);


--
-- Name: revisions revisions_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.revisions
    ADD CONSTRAINT revisions_pkey PRIMARY KEY (id);


--
-- Name: revisions revisions_shot_id_number_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.revisions
    ADD CONSTRAINT revisions_shot_id_number_key UNIQUE (shot_id, number);


--
-- Name: run_frames run_frames_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.run_frames
    ADD CONSTRAINT run_frames_pkey PRIMARY KEY (run_id, number);


--
-- Name: runs runs_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.runs
    ADD CONSTRAINT runs_pkey PRIMARY KEY (id);


--
-- Name: runs runs_shot_id_version_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.runs
    ADD CONSTRAINT runs_shot_id_version_key UNIQUE (shot_id, version);


--
-- Name: scans scans_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.scans
    ADD CONSTRAINT scans_pkey PRIMARY KEY (id);


--
-- Name: sendings sendings_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.sendings
    ADD CONSTRAINT sendings_pkey PRIMARY KEY (id);


--
-- Name: shots shots_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.shots
    ADD CONSTRAINT shots_pkey PRIMARY KEY (id);


--
-- Name: shots shots_show_id_code_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.shots
    ADD CONSTRAINT shots_show_id_code_key UNIQUE (show_id, code);


--
-- Name: shows shows_code_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.shows
    ADD CONSTRAINT shows_code_key UNIQUE (code);


--
-- Name: shows shows_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.shows
    ADD CONSTRAINT shows_pkey PRIMARY KEY (id);


--
-- Name: tokens tokens_digest_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.tokens
    ADD CONSTRAINT tokens_digest_key UNIQUE (digest);


--
-- Name: tokens tokens_name_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.tokens
    ADD CONSTRAINT tokens_name_key UNIQUE (name);


--
-- Name: tokens tokens_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.tokens
    ADD CONSTRAINT tokens_pkey PRIMARY KEY (id);


--
-- Name: watched_folders watched_folders_pkey; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.watched_folders
    ADD CONSTRAINT watched_folders_pkey PRIMARY KEY (id);


--
-- Name: watched_folders watched_folders_show_id_folder_key; Type: CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.watched_folders
    ADD CONSTRAINT watched_folders_show_id_folder_key UNIQUE (show_id, folder);


--
-- Name: ix_deliveries_shot_id; Type: INDEX; Schema: public; Owner: -
--

CREATE INDEX ix_deliveries_shot_id ON public.deliveries USING btree (shot_id);


--
-- Name: ix_passes_delivery_id; Type: INDEX; Schema: public; Owner: -
--

CREATE INDEX ix_passes_delivery_id ON public.passes USING btree (delivery_id);


--
-- Name: run_frames_by_state; Type: INDEX; Schema: public; Owner: -
--

CREATE INDEX run_frames_by_state ON public.run_frames USING btree (run_id, state);


--
-- Name: runs_by_state; Type: INDEX; Schema: public; Owner: -
--

CREATE INDEX runs_by_state ON public.runs USING btree (state);


--
-- Name: runs_one_at_a_time; Type: INDEX; Schema: public; Owner: -
--

CREATE UNIQUE INDEX runs_one_at_a_time ON public.runs USING btree (shot_id) WHERE ((state)::text = ANY ((ARRAY['waiting'::character varying, 'running'::character varying, 'paused'::character varying])::text[]));


--
-- Name: scans_by_show; Type: INDEX; Schema: public; Owner: -
--

CREATE INDEX scans_by_show ON public.scans USING btree (show_id, id);


--
-- Name: sendings_by_package; Type: INDEX; Schema: public; Owner: -
--

CREATE INDEX sendings_by_package ON public.sendings USING btree (package_id);


--
-- Name: sendings_one_at_a_time; Type: INDEX; Schema: public; Owner: -
--

CREATE UNIQUE INDEX sendings_one_at_a_time ON public.sendings USING btree (package_id, inbox) WHERE ((state)::text = ANY ((ARRAY['waiting'::character varying, 'sending'::character varying])::text[]));


--
-- Name: deliveries deliveries_shot_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.deliveries
    ADD CONSTRAINT deliveries_shot_id_fkey FOREIGN KEY (shot_id) REFERENCES public.shots(id) ON DELETE CASCADE;


--
-- Name: dictionary_entries dictionary_entries_show_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.dictionary_entries
    ADD CONSTRAINT dictionary_entries_show_id_fkey FOREIGN KEY (show_id) REFERENCES public.shows(id) ON DELETE CASCADE;


--
-- Name: dismissals dismissals_shot_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.dismissals
    ADD CONSTRAINT dismissals_shot_id_fkey FOREIGN KEY (shot_id) REFERENCES public.shots(id) ON DELETE CASCADE;


--
-- Name: frames frames_member_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.frames
    ADD CONSTRAINT frames_member_id_fkey FOREIGN KEY (member_id) REFERENCES public.members(id) ON DELETE CASCADE;


--
-- Name: measurements measurements_delivery_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.measurements
    ADD CONSTRAINT measurements_delivery_id_fkey FOREIGN KEY (delivery_id) REFERENCES public.deliveries(id) ON DELETE CASCADE;


--
-- Name: members members_delivery_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.members
    ADD CONSTRAINT members_delivery_id_fkey FOREIGN KEY (delivery_id) REFERENCES public.deliveries(id) ON DELETE CASCADE;


--
-- Name: packages packages_run_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.packages
    ADD CONSTRAINT packages_run_id_fkey FOREIGN KEY (run_id) REFERENCES public.runs(id) ON DELETE CASCADE;


--
-- Name: passes passes_delivery_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.passes
    ADD CONSTRAINT passes_delivery_id_fkey FOREIGN KEY (delivery_id) REFERENCES public.deliveries(id) ON DELETE CASCADE;


--
-- Name: revisions revisions_shot_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.revisions
    ADD CONSTRAINT revisions_shot_id_fkey FOREIGN KEY (shot_id) REFERENCES public.shots(id) ON DELETE CASCADE;


--
-- Name: run_frames run_frames_run_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.run_frames
    ADD CONSTRAINT run_frames_run_id_fkey FOREIGN KEY (run_id) REFERENCES public.runs(id) ON DELETE CASCADE;


--
-- Name: runs runs_delivery_id_shot_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.runs
    ADD CONSTRAINT runs_delivery_id_shot_id_fkey FOREIGN KEY (delivery_id, shot_id) REFERENCES public.deliveries(id, shot_id);


--
-- Name: runs runs_revision_id_shot_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.runs
    ADD CONSTRAINT runs_revision_id_shot_id_fkey FOREIGN KEY (revision_id, shot_id) REFERENCES public.revisions(id, shot_id);


--
-- Name: runs runs_shot_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.runs
    ADD CONSTRAINT runs_shot_id_fkey FOREIGN KEY (shot_id) REFERENCES public.shots(id) ON DELETE CASCADE;


--
-- Name: scans scans_show_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.scans
    ADD CONSTRAINT scans_show_id_fkey FOREIGN KEY (show_id) REFERENCES public.shows(id) ON DELETE CASCADE;


--
-- Name: sendings sendings_package_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.sendings
    ADD CONSTRAINT sendings_package_id_fkey FOREIGN KEY (package_id) REFERENCES public.packages(id) ON DELETE CASCADE;


--
-- Name: shots shots_delivery; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.shots
    ADD CONSTRAINT shots_delivery FOREIGN KEY (delivery_id, id) REFERENCES public.deliveries(id, shot_id);


--
-- Name: shots shots_show_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.shots
    ADD CONSTRAINT shots_show_id_fkey FOREIGN KEY (show_id) REFERENCES public.shows(id) ON DELETE CASCADE;


--
-- Name: watched_folders watched_folders_show_id_fkey; Type: FK CONSTRAINT; Schema: public; Owner: -
--

ALTER TABLE ONLY public.watched_folders
    ADD CONSTRAINT watched_folders_show_id_fkey FOREIGN KEY (show_id) REFERENCES public.shows(id) ON DELETE CASCADE;


--
-- PostgreSQL database dump complete
--


