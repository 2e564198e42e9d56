//! Bits of a base64url text (RFC 4648, section 5), from the first on.

use super::TcfError;
use std::collections::BTreeSet;

pub struct Bits {
    /// Values of six bits each.
    sextets: Vec<u8>,
    at: usize,
}

impl Bits {
    pub fn of(text: &str) -> Result<Bits, TcfError> {
        let sextet = |c: char| match c {
            'A'..='Z' => Ok(c as u8 - b'A'),
            'a'..='z' => Ok(c as u8 - b'a' + 26),
            '0'..='9' => Ok(c as u8 - b'0' + 52),
            '-' => Ok(62),
            '_' => Ok(63),
            other => Err(TcfError::Letter(other)),
        };
        let sextets: Result<Vec<u8>, TcfError> =
            text.trim_end_matches('=').chars().map(sextet).collect();
        Ok(Bits {
            sextets: sextets?,
            at: 0,
        })
    }

    fn bit(&mut self) -> Result<bool, TcfError> {
        let sextet = self.sextets.get(self.at / 6).ok_or(TcfError::Short)?;
        let bit = sextet >> (5 - self.at % 6) & 1 == 1;
        self.at += 1;
        Ok(bit)
    }

    /// The next bits as a number, the most significant first.
    pub fn number(&mut self, bits: usize) -> Result<u64, TcfError> {
        let mut out = 0;
        for _ in 0..bits {
            out = out << 1 | u64::from(self.bit()?);
        }
        Ok(out)
    }

    pub fn skip(&mut self, bits: usize) -> Result<(), TcfError> {
        for _ in 0..bits {
            self.bit()?;
        }
        Ok(())
    }

    /// Numbers, from 1 on, whose bit is set.
    pub fn set(&mut self, bits: usize) -> Result<BTreeSet<u16>, TcfError> {
        let mut out = BTreeSet::new();
        for n in 1..=bits {
            if self.bit()? {
                out.insert(n as u16);
            }
        }
        Ok(out)
    }

    /// Letters of six bits, from A on.
    pub fn letters(&mut self, count: usize) -> Result<String, TcfError> {
        (0..count)
            .map(|_| Ok((b'A' + self.number(6)?.min(25) as u8) as char))
            .collect()
    }
}
