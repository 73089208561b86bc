//! Addresses as a PDP-8 instruction names them: in the first page of its memory field, or in its own.

use super::Window;

/// Bits of an address within a memory field.
pub const FIELD_BITS: u8 = 12;

/// The cells of a page.
pub const PAGE: u64 = 0o200;

/// The address that an instruction word at `at` names: in the first page of the memory field, or in its own.
pub(crate) fn page_address(word: u64, at: u32) -> u64 {
    let page = if word & PAGE != 0 {
        u64::from(at) & !(PAGE - 1)
    } else {
        Window::around(at, FIELD_BITS).base().into()
    };
    page | word & (PAGE - 1)
}

/// The low eight bits of an instruction word at `at` that names the address; `None` where it does not reach it. The first page
/// is that of its own memory field.
pub fn page_field(address: u64, at: u32) -> Option<u64> {
    let first = u64::from(Window::around(at, FIELD_BITS).base());
    match (address & !(PAGE - 1), u64::from(at) & !(PAGE - 1)) {
        (page, _) if page == 0 || page == first => Some(address & (PAGE - 1)),
        (page, own) if page == own => Some(PAGE | address & (PAGE - 1)),
        _ => None,
    }
}
