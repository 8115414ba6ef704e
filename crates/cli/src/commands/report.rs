//! `daxle report`: old and new side by side, in one page.

use daxle_files::{Trouble, write_file};

use super::Ended;
use crate::args::{Format, Global, ReportArgs};
use crate::carried::Carried;
use crate::config;
use crate::console::{Console, Failure};
use crate::report;
use crate::show::{count, size_words, wire};

pub(crate) fn run(args: &ReportArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read_for(global, &args.carried.dir)?;
    let mut carried = Carried::open(&args.carried, &config)?;
    if args.out.exists() && !args.replace {
        return Err(Trouble::new(format!("{} is there already", args.out.display()))
            .hint("name a new file, or write over it with --replace")
            .into());
    }
    let proof = carried.prove()?;
    let page = report::page(&carried.account, &proof, &|side, path| carried.read(side, path))?;
    write_file(&args.out, page.as_bytes())?;
    let totals = carried.account.totals;
    if global.format == Format::Json {
        console.json(&wire::Reported::new(&args.out, page.len(), totals))?;
    } else {
        let size = size_words(page.len() as u64);
        let changes = count(totals.changes, "change");
        console
            .result(&format!("Reported {changes} in {} ({size}); it opens in any browser\n", args.out.display()))?;
    }
    Ok(Ended::open_if(totals.open > 0 || proof.new_findings().next().is_some()))
}
