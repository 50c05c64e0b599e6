//! The command line of Interligo: it reads the options, lets the libraries work, and turns what they
//! say into text. Nothing is computed here.

mod args;
mod commands;
#[cfg(all(feature = "sqlite", feature = "workbook"))]
mod demo;
mod failure;
mod printed;
mod progress;
mod usage_error;

use std::process::ExitCode;

use clap::{CommandFactory, Parser};
use clap_complete::CompleteEnv;

use args::{Arguments, Command};
use failure::Failure;

/// The exit status after a signal, as shells have it for SIGINT.
const INTERRUPTED: i32 = 130;

fn main() -> ExitCode {
    // A shell that completes what is typed asks for this alone.
    CompleteEnv::with_factory(Arguments::command).var(commands::ASKS).complete();
    // What is being written goes with the run. Without a handler it stays for the next run to remove.
    let _ = ctrlc::set_handler(|| {
        interligo_project::abandon_outputs();
        std::process::exit(INTERRUPTED);
    });
    let say_panic = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        // One on a damaged file is told as an error of that file.
        if !interligo_project::is_guarded() {
            say_panic(panic);
        }
    }));
    #[cfg(debug_assertions)]
    arm_faults();
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        Err(error) if error.use_stderr() => {
            printed::say(format_args!("{}", usage_error::usage_message(&error)));
            return ExitCode::from(error.exit_code() as u8);
        }
        Err(error) => error.exit(),
    };
    let cores = || std::thread::available_parallelism().map_or(1, Into::into);
    // Without a pool there is still this thread.
    let threads = arguments.plan().and_then(|plan| plan.threads).map(usize::from);
    match interligo_project::pool(threads.unwrap_or_else(cores)) {
        Some(pool) => pool.install(|| command(&arguments)),
        None => command(&arguments),
    }
}

fn command(arguments: &Arguments) -> ExitCode {
    arguments.color.apply();
    if let Some(options) = arguments.plan() {
        commands::propose_with(options.plan.as_deref(), &options.set);
    }
    let mut out = printed::Printed::stdout();
    let result = match &arguments.command {
        Command::Start(options) => commands::start(options, &mut out),
        Command::Link(options) => commands::link(options, &mut out),
        Command::Run(options) => commands::run(options, &mut out),
        Command::Totals(options) => commands::totals(options, &mut out),
        Command::Check(options) => commands::check(options, &mut out),
        Command::Mend(options) => commands::mend(options, &mut out),
        Command::Calendar(options) => commands::calendar(options, &mut out),
        Command::Look(options) => commands::look(options, &mut out),
        Command::Trace(options) => commands::trace(options, &mut out),
        Command::Compare(options) => commands::compare(options, &mut out),
        Command::Runs(options) => commands::runs(options, &mut out),
        Command::Verify(options) => commands::verify(options, &mut out),
        Command::Report(options) => commands::report(options, &mut out),
        Command::Slices(options) => commands::slices(options, &mut out),
        Command::Join(options) => commands::join(options, &mut out),
        Command::Demo(options) => commands::demo(options, &mut out),
        Command::Completions(options) => commands::completions(options, &mut out),
        Command::Help(options) => commands::help(options, &mut out),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        // Whoever read our output has had enough.
        Err(Failure::Output(error)) if error.kind() == std::io::ErrorKind::BrokenPipe => {
            ExitCode::SUCCESS
        }
        Err(failure) => {
            failure.print();
            ExitCode::from(failure.status())
        }
    }
}

/// Lets something go wrong on purpose, for the tests of the tie-out and of what a crash leaves.
#[cfg(debug_assertions)]
fn arm_faults() {
    use interligo_engine::proof::faults::{Fault, arm};
    if let Some(fault) = std::env::var("INTERLIGO_FAULT").ok().and_then(|name| Fault::called(&name))
    {
        arm(fault);
    }
    if let Ok(step) = std::env::var("INTERLIGO_DIES_AFTER") {
        interligo_project::die_after(&step);
    }
}
