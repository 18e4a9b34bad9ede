//! The one list of all kinds of steps, from which the enums, the catalogue and the dispatch are made.

/// `module => Variant(Parameters)` for each kind: a file of this folder, the name in documents (in kebab case), and the type
/// that [`Kind`](super::Kind) is implemented for.
macro_rules! kinds {
    ( $( $module:ident => $variant:ident($parameters:ident), )* ) => {
        $( pub mod $module; )*
        $( pub use $module::$parameters; )*

        /// Every kind of step.
        pub const KINDS: &[KindInfo] = &[ $( <$parameters as Kind>::INFO, )* ];

        /// A step's kind with its parameters.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(tag = "kind", content = "values", rename_all = "kebab-case")]
        #[expect(
            clippy::large_enum_variant,
            reason = "a path has one negative and one print, which hold their stocks"
        )]
        pub enum Values {
            $( #[doc = concat!("See [`", stringify!($module), "`].")] $variant($parameters), )*
        }

        /// A step's arithmetic on each pixel by itself, ready to run on blocks.
        #[derive(Clone, Debug, PartialEq)]
        pub enum Kernel {
            $( #[doc = concat!("See [`", stringify!($module), "`].")] $variant(<$parameters as Kind>::Kernel), )*
        }

        impl Kernel {
            /// Runs the step at full strength.
            #[inline(always)]
            pub fn run(&self, planes: &mut Planes) {
                match self {
                    $( Self::$variant(k) => k.run(planes), )*
                }
            }

            /// What the step is in files that hold operators; `None` for what only a 3D table holds.
            pub fn in_files(&self) -> Option<InFiles> {
                match self {
                    $( Self::$variant(k) => <$parameters as Kind>::in_files(k), )*
                }
            }
        }

        impl Kernel {
            /// Whether the step is made for light that no surface has.
            pub fn wants_free_light(&self) -> bool {
                match self {
                    $( Self::$variant(_) => <$parameters as Kind>::WANTS_FREE_LIGHT, )*
                }
            }
        }

        impl Values {
            /// What is known about this kind.
            pub fn info(&self) -> &'static KindInfo {
                match self {
                    $( Self::$variant(_) => const { &<$parameters as Kind>::INFO }, )*
                }
            }

            /// The step's arithmetic at a site. `None` for what does not work on each pixel by itself.
            pub fn kernel(&self, site: impl Into<Site>) -> Option<Kernel> {
                let site = site.into();
                match self {
                    $( Self::$variant(v) => v.work(&site).map(Kernel::$variant), )*
                }
            }

            /// What the step puts on the picture at a strength, on a film. `None` for what is no texture.
            pub fn texture(&self, strength: f64, film: &Chain) -> Option<Texture> {
                match self {
                    $( Self::$variant(v) => v.texture(strength, film), )*
                }
            }

            /// Refuses what ranges of single values do not tell.
            fn check_kind(&self) -> Result<(), ValueError> {
                match self {
                    $( Self::$variant(v) => v.check(), )*
                }
            }
        }
    };
}
