//! `daxle pack`: the result of a carry as a ZIP for upload.

use daxle_core::theme::Tree;
use daxle_files::{Trouble, ZipEntry, write_file, write_zip};

use super::Ended;
use crate::args::{Format, Global, PackArgs};
use crate::carried::Carried;
use crate::config;
use crate::console::{Console, Failure};
use crate::show::{self, count, wire};

pub(crate) fn run(args: &PackArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let config = config::read_for(global, &args.carried.dir)?;
    let carried = Carried::open(&args.carried, &config)?;
    let open = carried.account.totals.open;
    if open > 0 && !args.anyway {
        return Err(Trouble::new(format!("{} open in {}", show::are(open, "change"), carried.dir().display()))
            .hint("answer them with `daxle settle`, or pack --anyway")
            .into());
    }
    if args.out.exists() && !args.replace {
        return Err(Trouble::new(format!("{} is there already", args.out.display()))
            .hint("name a new file, or write over it with --replace")
            .into());
    }
    let files = carried.files()?;
    let name = carried.name(&files);
    let mut entries = Vec::new();
    for (k, entry) in files.entries().iter().enumerate() {
        if files.permissions(k).is_none() {
            return Err(Trouble::new(format!("{} is a link, which an upload would lose", entry.path))
                .hint("put the file itself there, or leave links out with --links skip")
                .into());
        }
        let (path, bytes) = (format!("{name}/{}", entry.path), files.read(k)?);
        entries.push(ZipEntry { path, bytes, executable: files.is_executable(k) });
    }
    let number = entries.len();
    let bytes = write_zip(entries)?;
    write_file(&args.out, &bytes)?;
    if global.format == Format::Json {
        console.json(&wire::Packed::new(&args.out, &name, number, bytes.len()))?;
    } else {
        let size = show::size_words(bytes.len() as u64);
        let text = format!("Packed {} of {name} into {} ({size})\n", count(number, "file"), args.out.display());
        console.result(&text)?;
    }
    Ok(Ended::open_if(open > 0))
}
