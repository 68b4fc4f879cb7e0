//! What it takes to load, judge and question large made-up estates, as ratios to parsing the same file.
//!
//! `cargo bench -p pasaporte-bench` takes 1,000, 10,000 and 100,000 functions; `-- 1000 5000` takes other
//! numbers. Each measurement is a process of its own, so that its peak memory is its own too; of several runs
//! the median is told. Right before each run the same file is parsed alone, and a ratio is the median of those of the
//! pairs: what else the machine does then weighs on both. See docs/performance.md for what each line means.

#![expect(clippy::cast_precision_loss, reason = "numbers that people read")]

use std::env;
use std::fmt::Write as _;
use std::fs::{self, File};
use std::hint::black_box;
use std::io::{BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

use pasaporte_audit::rehearse::rehearse;
use pasaporte_audit::tighten::{Wishes, tighten_all};
use pasaporte_audit::{Audit, Catalogue, Settings, judge, told};
use pasaporte_bench::{contract, generate, typed};
use pasaporte_core::access::{Access, Context, Question, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::{
    ContractId, Estate, FunctionId, IdentityId, Principal, ResourceId, ScopeId, ScopeKind, Thing, Vocabulary,
};
use pasaporte_core::paths::{Class, Node, Paths};
use pasaporte_core::reach::Reaches;
use pasaporte_read::diagnostic::Diagnostics;
use pasaporte_read::estate::{Beside, load};
use pasaporte_read::text::{Form, Source};
use rayon::prelude::*;

/// The argument by which a process is told to take one measurement.
const MEASURE: &str = "--measure";
const SEED: u64 = 7;
const QUESTIONS: usize = 100_000;

fn main() {
    let arguments: Vec<String> = env::args().skip(1).collect();
    if let [measure, what, file] = arguments.as_slice()
        && measure == MEASURE
    {
        let (time, count) = take(what, Path::new(file));
        println!("{} {} {count}", time.as_nanos(), peak_memory());
        return;
    }
    let sizes: Vec<usize> = arguments.iter().filter_map(|each| each.parse().ok()).collect();
    let sizes = if sizes.is_empty() { vec![1_000, 10_000, 100_000] } else { sizes };
    println!("{} processors, seed {SEED}\n", std::thread::available_parallelism().map_or(1, usize::from));
    let folder = tempfile::tempdir().expect("a temporary folder");
    let mut audits: Vec<(usize, Duration)> = Vec::new();
    for size in sizes {
        let file = folder.path().join("estate.ndjson");
        let mut out = BufWriter::new(File::create(&file).expect("the temporary folder is writable"));
        generate(size, SEED, &mut out).and_then(|()| out.flush()).expect("the temporary folder is writable");
        audits.push((size, report(size, &file)));
    }
    contracts(folder.path());
    for pair in audits.windows(2) {
        let ratio = pair[1].1.as_secs_f64() / pair[0].1.as_secs_f64();
        println!("audit of {} functions: {ratio:.1} × that of {}", pair[1].0, pair[0].0);
    }
}

/// Measures everything on one file and prints it; the time of the audit.
fn report(size: usize, file: &Path) -> Duration {
    let bytes = fs::metadata(file).expect("just written").len();
    let mega = |bytes: u64| bytes as f64 / 1e6;
    println!("{size} functions, {:.1} MB", mega(bytes));
    let runs = if size > 20_000 { 5 } else { 9 };
    let base = median("base", file, runs);
    println!(
        "  {:<34} {:>8.3} s   1.00 × base (1.00)          memory {:>5.2} × the file",
        "typed parse alone (base)",
        base.time.as_secs_f64(),
        base.peak as f64 / bytes as f64
    );
    let mut audit = Duration::ZERO;
    for (what, title) in [
        ("load", "load"),
        ("audit", "audit, from file to findings"),
        ("entry", "entry of every function"),
        ("ways", "every way into every function"),
        ("reach", "reach of every identity"),
        ("words", "all findings in words, beyond the audit"),
        ("paths", "paths from all who begin them, beyond it"),
        ("tighten", "tighten of every identity"),
        ("rehearse", "rehearse, alone"),
    ] {
        let runs = if ["base", "load", "audit", "entry"].contains(&what) { runs } else { 1 };
        let (it, ratios) = beside_base(what, file, runs);
        let memory = it.peak as f64 / bytes as f64;
        println!(
            "  {title:<34} {:>8.3} s  {:>5.2} × base ({:.2} to {:.2})  memory {memory:>5.2} × the file   {} answers",
            it.time.as_secs_f64(),
            ratios[runs / 2],
            ratios[0],
            ratios[runs - 1],
            it.count
        );
        if what == "audit" {
            audit = it.time;
        }
    }
    let decide = median("decide", file, runs);
    let each = decide.time.as_secs_f64() / QUESTIONS as f64;
    println!(
        "  {:<34} {:>8.0} ns each, {:.2} million a second on one processor, {} yes or perhaps\n",
        "decide",
        each * 1e9,
        1e-6 / each,
        decide.count
    );
    audit
}

/// Measures reading a contract of 2,000 operations, which an estate of one line names, in both forms of text.
fn contracts(folder: &Path) {
    const OPERATIONS: usize = 2_000;
    for (name, ending) in [("JSON", "json"), ("YAML", "yaml")] {
        let (document, estate) =
            (folder.join(format!("contract.{ending}")), folder.join("contracted.ndjson"));
        let entry =
            format!("{{\"contract\":{{\"id\":\"c\",\"gateway\":\"g\",\"document\":\"contract.{ending}\"}}}}");
        let written = File::create(&document)
            .and_then(|file| contract(OPERATIONS, ending == "yaml", &mut BufWriter::new(file)))
            .and_then(|()| fs::write(&estate, format!("{{\"estate\":1}}\n{entry}\n")));
        written.expect("the temporary folder is writable");
        let bytes = fs::metadata(&document).expect("just written").len();
        let it = median("contract", &estate, 9);
        println!(
            "contract of {} operations, {:.1} MB of {name}: {:.1} ms",
            it.count,
            bytes as f64 / 1e6,
            it.time.as_secs_f64() * 1e3
        );
    }
}

struct Taken {
    time: Duration,
    peak: u64,
    count: usize,
}

/// The run of median time, of several processes.
fn median(what: &str, file: &Path, runs: usize) -> Taken {
    middle((0..runs).map(|_| in_a_process(what, file)).collect())
}

fn middle(mut all: Vec<Taken>) -> Taken {
    all.sort_by_key(|taken| taken.time);
    all.swap_remove(all.len() / 2)
}

/// The run of median time, and how often each run's time holds that of the parse right before it, in order.
fn beside_base(what: &str, file: &Path, runs: usize) -> (Taken, Vec<f64>) {
    let mut all = Vec::new();
    let mut ratios = Vec::new();
    for _ in 0..runs {
        let base = in_a_process("base", file).time.as_secs_f64();
        let taken = in_a_process(what, file);
        ratios.push(taken.time.as_secs_f64() / base);
        all.push(taken);
    }
    ratios.sort_by(f64::total_cmp);
    (middle(all), ratios)
}

fn in_a_process(what: &str, file: &Path) -> Taken {
    let this = env::current_exe().expect("the path of this program");
    let output = Command::new(this).args([MEASURE, what]).arg(file).output().expect("this program runs");
    let text = String::from_utf8(output.stdout).expect("numbers");
    let numbers: Vec<u64> = text.split_whitespace().filter_map(|number| number.parse().ok()).collect();
    let [time, peak, count] = numbers[..] else {
        panic!("{what} failed: {}", String::from_utf8_lossy(&output.stderr))
    };
    Taken { time: Duration::from_nanos(time), peak, count: count as usize }
}

/// Takes one measurement: how long, and how many answers.
fn take(what: &str, file: &Path) -> (Duration, usize) {
    let start = Instant::now();
    if what == "base" {
        let reader = BufReader::with_capacity(1 << 20, File::open(file).expect("the file is there"));
        let lines = typed::parse(reader).expect("a generated file");
        return (start.elapsed(), black_box(lines).len());
    }
    let estate = read(file);
    match what {
        "load" => (start.elapsed(), estate.count::<FunctionId>()),
        "contract" => (start.elapsed(), estate.all::<ContractId>().map(|(_, it)| it.operations.len()).sum()),
        "audit" => {
            let audit = Audit::new(&estate, Settings::default());
            let all = Catalogue::shipped().ids().collect();
            let findings = judge(&audit, &all);
            (start.elapsed(), findings.len())
        }
        "words" => {
            let audit = Audit::new(&estate, Settings::default());
            let findings = judge(&audit, &Catalogue::shipped().ids().collect());
            timed(|| findings.par_iter().map(|it| told(&audit, it).situation.len()).sum())
        }
        "entry" => timed(|| entries(&estate)),
        "ways" => timed(|| ways(&estate)),
        "reach" => timed(|| reaches(&estate)),
        "paths" => {
            let audit = Audit::new(&estate, Settings::default());
            black_box(judge(&audit, &Catalogue::shipped().ids().collect()));
            timed(|| paths(audit.effects()))
        }
        "decide" => decisions(&estate),
        "tighten" | "rehearse" => {
            let used = observed(&estate);
            drop(estate);
            let sources = [of_file(file), of_text(used)];
            let estate = load(&sources, &Beside::default(), Diagnostics::default())
                .unwrap_or_else(|wrong| panic!("{} mistakes", wrong.count()));
            let audit = Audit::new(&estate, Settings::default());
            if what == "rehearse" {
                return timed(|| rehearse(&audit, &audit).rows);
            }
            timed(|| {
                let identities = estate.all::<IdentityId>().map(|(id, _)| Thing::Identity(id));
                tighten_all(&audit, identities, &Wishes::default()).changes.len()
            })
        }
        other => panic!("{other} is no measurement"),
    }
}

fn read(file: &Path) -> Estate {
    load(&[of_file(file)], &Beside::default(), Diagnostics::default())
        .unwrap_or_else(|wrong| panic!("{} mistakes", wrong.count()))
}

fn of_file(file: &Path) -> Source {
    Source::File { name: file.display().to_string(), path: PathBuf::from(file), form: Form::Ndjson }
}

fn of_text(text: String) -> Source {
    Source::Text { name: "usage.ndjson".to_owned(), text, form: Form::Ndjson }
}

/// Logs of all accounts, in which every identity did some of what it may to things near it.
fn observed(estate: &Estate) -> String {
    const NEAR: usize = 24;
    let access = Access::new(estate);
    let given = Context::at(estate.as_of());
    let identities: Vec<IdentityId> = estate.all().map(|(id, _)| id).collect();
    let resources: Vec<ResourceId> = estate.all().map(|(id, _)| id).collect();
    let actions = ["read", "write", "send"];
    let mut text = String::from("{\"estate\":1}\n");
    for (id, scope) in estate.all::<ScopeId>() {
        if scope.kind == ScopeKind::Account {
            let id = estate.id(id);
            let _ = writeln!(
                text,
                "{{\"log\":{{\"in\":\"{id}\",\"from\":\"2026-08-01\",\"to\":\"2026-11-20\"}}}}"
            );
        }
    }
    for (at, &identity) in identities.iter().enumerate() {
        // Accounts come one after the other in both lists, so what stands at the same share is of one account.
        let near = at * resources.len() / identities.len();
        for &resource in &resources[near.saturating_sub(NEAR / 2)..(near + NEAR / 2).min(resources.len())] {
            let label = estate.label(Thing::Resource(resource));
            let kind = label.split(':').next().unwrap_or_default();
            for action in actions {
                let did = format!("{kind}/{action}");
                let question = Question {
                    principal: Principal::Identity(identity),
                    action: &access.action(&did),
                    on: Thing::Resource(resource),
                    given: &given,
                };
                if access.verdict(&question) != Verdict::No {
                    let who = estate.label(Thing::Identity(identity));
                    let _ = writeln!(
                        text,
                        "{{\"used\":{{\"who\":\"{who}\",\"did\":\"{did}\",\"to\":\"{label}\",\"count\":3,\"last\":\"2026-11-19\"}}}}"
                    );
                }
            }
        }
    }
    text
}

fn timed(answers: impl FnOnce() -> usize) -> (Duration, usize) {
    let start = Instant::now();
    let count = answers();
    (start.elapsed(), count)
}

/// Everybody who may make each function run, by endpoint and by the decision; the index built included.
fn entries(estate: &Estate) -> usize {
    let effects = Effects::new(estate);
    let functions: Vec<FunctionId> = estate.all().map(|(id, _)| id).collect();
    let of_function = |&id: &FunctionId| {
        let invokers = effects.invoking(id).len();
        let callers = estate.endpoints_of(id).iter().map(|endpoint| effects.callers_at(*endpoint).len());
        invokers + callers.sum::<usize>()
    };
    functions.par_iter().map(of_function).sum()
}

/// The same with those who feed their sources.
fn ways(estate: &Estate) -> usize {
    let effects = Effects::new(estate);
    let functions: Vec<FunctionId> = estate.all().map(|(id, _)| id).collect();
    functions.par_iter().map(|id| effects.ways_in(*id).all.len()).sum()
}

/// Whatever each class of those who begin paths comes to, step by step, with what is prepared for it beyond an audit.
fn paths(effects: &Effects<'_>) -> usize {
    let paths = Paths::new(effects, Vec::new());
    let starts: Vec<Vec<Node>> = Class::ALL.par_iter().map(|(_, class)| paths.starts(*class)).collect();
    paths.from_each(&starts).iter().map(|found| found.size().0).sum()
}

/// What every identity may do and become; the index built included.
fn reaches(estate: &Estate) -> usize {
    let effects = Effects::new(estate);
    let reaches = Reaches::new(&effects);
    let identities: Vec<IdentityId> = estate.all().map(|(id, _)| id).collect();
    let of_identity = |&id: &IdentityId| {
        let reach = reaches.of(Principal::Identity(id));
        reach.own.len() + reach.common.len()
    };
    identities.par_iter().map(of_identity).sum()
}

/// Questions of identities about resources, half of them about their own account's, by one thread.
fn decisions(estate: &Estate) -> (Duration, usize) {
    let access = Access::new(estate);
    let given = Context::at(estate.as_of());
    let identities: Vec<IdentityId> = estate.all().map(|(id, _)| id).collect();
    let resources: Vec<ResourceId> = estate.all().map(|(id, _)| id).collect();
    let actions = ["table/read", "table/write", "bucket/read", "queue/send", "secret/read"]
        .map(|text| access.action(text));
    let mut rng = fastrand::Rng::with_seed(SEED);
    let questions: Vec<Question<'_>> = (0..QUESTIONS)
        .map(|number| {
            let at = rng.usize(..identities.len());
            // Accounts come one after the other in both lists, so what stands at the same share is of one account.
            let near = at * resources.len() / identities.len();
            let on = if number % 2 == 0 { near } else { rng.usize(..resources.len()) };
            Question {
                principal: Principal::Identity(identities[at]),
                action: &actions[number % actions.len()],
                on: Thing::Resource(resources[on]),
                given: &given,
            }
        })
        .collect();
    let ask = || questions.iter().filter(|question| access.verdict(question) != Verdict::No).count();
    // The first pass puts together what is kept of each identity.
    black_box(ask());
    timed(ask)
}

/// The most memory that this process had, in bytes; 0 where the system does not say.
fn peak_memory() -> u64 {
    let status = fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    line.and_then(|line| line.trim().trim_end_matches(" kB").parse::<u64>().ok()).unwrap_or_default() * 1024
}
