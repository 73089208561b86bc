//! What `card` and `flow` begin and end with: a program from a source or an image, and a file in SVG or PNG.

use crate::arguments::DrawingArguments;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::Assembly;
use plain_byte::image::Image;
use plain_byte::processor::InstructionSet;
use plain_byte::report::Ground;
use plain_byte::session::Found;
use plain_byte::text::{Text, Tone};
use plain_byte::workspace::Program as Named;

/// A program to be drawn.
pub struct Program {
    pub name: String,
    pub set: &'static InstructionSet,
    pub image: Image,
    /// Where it comes from a source.
    pub assembly: Option<Box<Assembly>>,
    pub board: Option<Found>,
}

pub fn program(arguments: &DrawingArguments) -> Result<Program, Failure> {
    let looked = open::look(&arguments.what, open::Plain::Source)?;
    let set = looked.set()?;
    let image = looked.image().clone();
    let assembly = match looked.program {
        Named::Assembled(assembly) => Some(assembly),
        Named::Image(_) => None,
    };
    Ok(Program { name: looked.name, set, image, assembly, board: looked.board })
}

/// The ground that the arguments ask for.
pub fn ground(arguments: &DrawingArguments) -> Ground {
    if arguments.dark { Ground::Screen } else { Ground::Print }
}

/// Writes a picture into a file ending in .svg or .png, and says so.
pub fn write(file: &str, svg: &str) -> Result<(), Failure> {
    save(file, svg)?;
    tell_written(file)
}

/// Says which file was written.
pub fn tell_written(file: &str) -> Result<(), Failure> {
    let mut text = Text::new();
    text.line().tone(Tone::Faint, "wrote ").put(file);
    Ok(paint::report(&text)?)
}

/// Writes a picture into a file ending in .svg or .png.
pub fn save(file: &str, svg: &str) -> Result<(), Failure> {
    let ending = file.to_ascii_lowercase();
    if ending.ends_with(".png") {
        files::must_write(file, &png(svg)?)
    } else if ending.ends_with(".svg") {
        files::must_write(file, svg.as_bytes())
    } else {
        let help = "the ending says what is drawn";
        Err(Failure::usage(format!("{file} ends in neither .svg nor .png"), help))
    }
}

/// Dots of the PNG for each of the SVG: enough for a printer.
const SCALE: f32 = 2.0;

fn png(svg: &str) -> Result<Vec<u8>, Failure> {
    use resvg::{tiny_skia, usvg};
    let wrong =
        |what: String| Failure::input(format!("the picture cannot be drawn: {what}"), "write it as .svg");
    let mut options = usvg::Options::default();
    // The letters travel with the command, so that a picture looks the same everywhere.
    let fonts = options.fontdb_mut();
    fonts.load_font_data(epaint_default_fonts::HACK_REGULAR.to_vec());
    fonts.set_monospace_family("Hack");
    let tree = usvg::Tree::from_str(svg, &options).map_err(|error| wrong(error.to_string()))?;
    let size = tree.size();
    let (width, height) = ((size.width() * SCALE).ceil() as u32, (size.height() * SCALE).ceil() as u32);
    let mut pixels =
        tiny_skia::Pixmap::new(width, height).ok_or_else(|| wrong(format!("{width} by {height} dots")))?;
    resvg::render(&tree, tiny_skia::Transform::from_scale(SCALE, SCALE), &mut pixels.as_mut());
    pixels.encode_png().map_err(|error| wrong(error.to_string()))
}
