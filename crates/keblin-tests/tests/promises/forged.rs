//! Files built block by block, with matching digests: what a later version might write, and what only an attacker
//! would.

use minicbor::Encoder;
use minicbor::data::Tag;

use keblin::save::layout::{BLOCK_TAG, FORMAT, SELF_DESCRIBED_TAG, digest};

pub(crate) type Out<'o> = Encoder<&'o mut Vec<u8>>;

pub(crate) fn cbor(write: impl FnOnce(&mut Out<'_>)) -> Vec<u8> {
    let mut bytes = Vec::new();
    write(&mut Encoder::new(&mut bytes));
    bytes
}

/// A row of a state's table.
#[derive(Clone)]
pub(crate) struct Row {
    pub(crate) name: String,
    pub(crate) offset: u64,
    pub(crate) length: u64,
    pub(crate) digest: [u8; 32],
}

/// A forged file.
pub(crate) struct Forge {
    pub(crate) bytes: Vec<u8>,
    pub(crate) rows: Vec<Row>,
}

impl Forge {
    pub(crate) fn of(game: &str) -> Forge {
        Forge::in_format(FORMAT, game)
    }

    pub(crate) fn in_format(format: u32, game: &str) -> Forge {
        let mut bytes = cbor(|out| {
            out.tag(Tag::new(SELF_DESCRIBED_TAG)).unwrap().array(5).unwrap().str("keblin").unwrap();
            out.u32(format).unwrap().str(game).unwrap().u64(1_700_000_000_000).unwrap();
        });
        let digest = digest(&bytes);
        bytes.extend(cbor(|out| drop(out.bytes(&digest))));
        let row = Row { name: "header".into(), offset: 0, length: bytes.len() as u64, digest };
        Forge { bytes, rows: vec![row] }
    }

    /// Returns a block with its digest.
    pub(crate) fn block(&mut self, name: &str, word: &str, mandatory: bool, content: &[u8]) -> &mut Forge {
        let offset = self.bytes.len();
        let mut block = cbor(|out| {
            out.tag(Tag::new(BLOCK_TAG))
                .unwrap()
                .array(4)
                .unwrap()
                .str(word)
                .unwrap()
                .bool(mandatory)
                .unwrap();
        });
        block.extend(content);
        let digest = digest(&block);
        block.extend(cbor(|out| drop(out.bytes(&digest))));
        self.rows.push(Row { name: name.into(), offset: offset as u64, length: block.len() as u64, digest });
        self.bytes.extend(block);
        self
    }

    pub(crate) fn section(&mut self, name: &str, mandatory: bool, codec: u32, body: &[u8]) -> &mut Forge {
        let content = cbor(|out| {
            out.array(4).unwrap().str(name).unwrap().u32(codec).unwrap();
            out.u64(body.len() as u64).unwrap().bytes(body).unwrap();
        });
        self.block(name, "section", mandatory, &content)
    }

    /// Adds a state over the rows so far.
    pub(crate) fn state(&mut self, number: u64, version: u32) -> &mut Forge {
        let rows = self.rows.clone();
        let offset = self.bytes.len() as u64;
        let content = cbor(|out| {
            out.array(10).unwrap().u64(number).unwrap().u32(version).unwrap();
            out.array(2).unwrap().u32(1).unwrap().bytes(&[0; 32]).unwrap();
            out.u64(1_700_000_000_001).unwrap().str("forged").unwrap().bool(false).unwrap().map(0).unwrap();
            out.array(rows.len() as u64).unwrap();
            for row in &rows {
                out.array(4).unwrap().str(&row.name).unwrap().u64(row.offset).unwrap();
                out.u64(row.length).unwrap().bytes(&row.digest).unwrap();
            }
            out.array(0).unwrap().u64(offset).unwrap();
        });
        self.state_numbered(number, &content)
    }

    /// Adds a state block with any content.
    pub(crate) fn state_of(&mut self, content: &[u8]) -> &mut Forge {
        self.state_numbered(1, content)
    }

    fn state_numbered(&mut self, number: u64, content: &[u8]) -> &mut Forge {
        let mut block = cbor(|out| {
            out.tag(Tag::new(BLOCK_TAG)).unwrap().array(6).unwrap().str("state").unwrap().bool(true).unwrap();
        });
        block.extend(content);
        let own = digest(&block);
        let digest_at = block.len();
        block.extend(cbor(|out| drop(out.bytes(&own).unwrap().null())));
        let check = digest(&block[digest_at..]);
        let length = (block.len() + 34) as u64;
        let foot = [&b"kebfoot\n"[..], &length.to_be_bytes(), &number.to_be_bytes(), &check[..8]].concat();
        block.extend(cbor(|out| drop(out.bytes(&foot))));
        self.bytes.extend(block);
        self
    }
}
