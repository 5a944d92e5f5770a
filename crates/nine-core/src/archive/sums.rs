//! `SHA256SUMS`: the list of checksums in the form that `sha256sum` of the GNU core utilities writes and
//! checks. A name with a newline, a carriage return or a backslash is escaped, and its line begins with a backslash.

use std::collections::BTreeMap;

use super::contents::is_list;
use crate::place::ItemPath;

/// A SHA-256 (FIPS 180-4).
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub struct Sum(pub [u8; 32]);

/// The list, by path below the dated folder.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Sums {
    /// The checksum of each file.
    pub of: BTreeMap<ItemPath, Sum>,
    /// Lines that are none of ours, such as comments; they are kept.
    pub other: Vec<Vec<u8>>,
}

impl Sums {
    /// Reads a list.
    pub fn parse(bytes: &[u8]) -> Self {
        let mut sums = Self::default();
        for line in bytes.split(|b| *b == b'\n').filter(|line| !line.is_empty()) {
            match read(line).filter(|(path, _)| !is_list(path)) {
                Some((path, sum)) => drop(sums.of.insert(path, sum)),
                None => sums.other.push(line.to_vec()),
            }
        }
        sums
    }

    /// The list as text.
    pub fn to_text(&self) -> Vec<u8> {
        let mut out = Vec::new();
        for line in &self.other {
            out.extend_from_slice(line);
            out.push(b'\n');
        }
        for (path, sum) in &self.of {
            let name = escaped(path.as_bytes());
            if name.is_some() {
                out.push(b'\\');
            }
            out.extend(sum.0.iter().flat_map(|byte| format!("{byte:02x}").into_bytes()));
            out.extend_from_slice(b"  ");
            out.extend_from_slice(name.as_deref().unwrap_or(path.as_bytes()));
            out.push(b'\n');
        }
        out
    }

    /// Takes out what is listed at a path and below it; returns it, by path below that.
    pub fn take_out(&mut self, path: &ItemPath) -> BTreeMap<ItemPath, Sum> {
        let within = self.of.range(path.clone()..).map(|(at, _)| at);
        let within = within.take_while(|at| at.as_bytes().starts_with(path.as_bytes()));
        let gone: Vec<ItemPath> = within.filter(|at| *at == path || at.is_inside(path)).cloned().collect();
        let skipped = path.depth();
        let below = |at: &ItemPath| ItemPath::of_names(at.parts().skip(skipped));
        gone.into_iter().filter_map(|at| Some((below(&at), self.of.remove(&at)?))).collect()
    }
}

fn read(line: &[u8]) -> Option<(ItemPath, Sum)> {
    let (line, is_escaped) = match line.strip_prefix(b"\\") {
        Some(rest) => (rest, true),
        None => (line, false),
    };
    let (hex, rest) = line.split_at_checked(64)?;
    let mut sum = [0; 32];
    for (byte, pair) in sum.iter_mut().zip(hex.chunks(2)) {
        *byte = u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok()?;
    }
    // `  name`, or ` *name` where it was read as binary.
    let name = rest.strip_prefix(b"  ").or_else(|| rest.strip_prefix(b" *"))?;
    let name = if is_escaped { unescaped(name)? } else { name.to_vec() };
    let name = name.strip_prefix(b"./").unwrap_or(&name);
    ItemPath::new(name).filter(|path| !path.is_root()).map(|path| (path, Sum(sum)))
}

fn escaped(name: &[u8]) -> Option<Vec<u8>> {
    let turned = |byte: &u8| match byte {
        b'\n' => b"\\n".to_vec(),
        b'\r' => b"\\r".to_vec(),
        b'\\' => b"\\\\".to_vec(),
        other => vec![*other],
    };
    name.iter().any(|b| matches!(b, b'\n' | b'\r' | b'\\')).then(|| name.iter().flat_map(turned).collect())
}

fn unescaped(name: &[u8]) -> Option<Vec<u8>> {
    let mut out = Vec::new();
    let mut bytes = name.iter();
    while let Some(byte) = bytes.next() {
        out.push(match byte {
            b'\\' => match bytes.next()? {
                b'n' => b'\n',
                b'r' => b'\r',
                b'\\' => b'\\',
                _ => return None,
            },
            other => *other,
        });
    }
    Some(out)
}
