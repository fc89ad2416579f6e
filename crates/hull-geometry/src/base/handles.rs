//! Handles: the place of a thing in its list, with a type for each kind of thing.

/// The number of a thing: one that [`crate::handles!`] makes, or a plain one.
pub trait Handle: Copy {
    /// The handle of this number.
    fn numbered(number: u32) -> Self;
    /// Its number.
    fn number(self) -> u32;
}

impl Handle for u32 {
    fn numbered(number: u32) -> u32 {
        number
    }

    fn number(self) -> u32 {
        self
    }
}

/// Makes a type of its own for the places in each kind of list, 4 bytes each: what is the number of an edge cannot be used
/// where that of a face is meant. Lists are `typed_index_collections::TiVec<Handle, Thing>`, which are asked with a handle
/// alone.
///
/// ```
/// hull_geometry::handles! {
///     /// A floor of a building.
///     FloorId,
/// }
/// assert_eq!(usize::from(FloorId::from(3)), 3);
/// assert_eq!(FloorId(3) + FloorId(4), FloorId(7));
/// ```
#[macro_export]
macro_rules! handles {
    ($($(#[$what:meta])* $name:ident,)*) => {$(
        $(#[$what])*
        #[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name(pub u32);

        #[allow(dead_code)]
        impl $name {
            /// Stands for nothing, where an `Option` would take twice the memory.
            pub const NONE: $name = $name($crate::NONE);
        }

        impl $crate::Handle for $name {
            fn numbered(number: u32) -> Self {
                $name(number)
            }

            fn number(self) -> u32 {
                self.0
            }
        }

        impl From<usize> for $name {
            /// Lists are shorter than 2³².
            fn from(place: usize) -> Self {
                $name(place as u32)
            }
        }

        impl From<$name> for usize {
            fn from(handle: $name) -> usize {
                handle.0 as usize
            }
        }

        /// Where a thing stands once its list is put behind another, whose length is given as a handle.
        impl std::ops::Add for $name {
            type Output = $name;

            fn add(self, behind: $name) -> $name {
                $name(self.0 + behind.0)
            }
        }
    )*};
}
