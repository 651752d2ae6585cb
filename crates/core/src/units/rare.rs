//! The atoms of UCUM (sections 34 to 48) that are rarely met where things are measured:
//! customary units of survey, trade, printing and medicine.

use super::atom::{Atom, Kind, arbitrary, metric, opaque, plain};

#[rustfmt::skip]
pub(super) const RARE: &[Atom] = &[
    // Lengths and areas of American survey (section 36).
    plain("[lk_us]", 0.01, "[ch_us]"), plain("[rch_us]", 100.0, "[ft_us]"), plain("[rlk_us]", 0.01, "[rch_us]"),
    plain("[fur_us]", 40.0, "[rd_us]"), plain("[mil_us]", 1e-3, "[in_us]"), plain("[srd_us]", 1.0, "[rd_us]2"),
    plain("[smi_us]", 1.0, "[mi_us]2"), plain("[twp]", 36.0, "[sct]"),
    // British lengths (section 37).
    plain("[in_br]", 2.539998, "cm"), plain("[ft_br]", 12.0, "[in_br]"), plain("[rd_br]", 16.5, "[ft_br]"),
    plain("[ch_br]", 4.0, "[rd_br]"), plain("[lk_br]", 0.01, "[ch_br]"), plain("[fth_br]", 6.0, "[ft_br]"),
    plain("[pc_br]", 2.5, "[ft_br]"), plain("[yd_br]", 3.0, "[ft_br]"), plain("[mi_br]", 5_280.0, "[ft_br]"),
    plain("[nmi_br]", 6_080.0, "[ft_br]"), plain("[kn_br]", 1.0, "[nmi_br]/h"), plain("[acr_br]", 4_840.0, "[yd_br]2"),
    // American volumes, dry ones too, and those of nutrition labels (section 38).
    plain("[min_us]", 1.0 / 60.0, "[fdr_us]"), plain("[crd_us]", 128.0, "[cft_i]"), plain("[gal_wi]", 0.125, "[bu_us]"),
    plain("[pk_us]", 0.25, "[bu_us]"), plain("[dqt_us]", 0.125, "[pk_us]"), plain("[dpt_us]", 0.5, "[dqt_us]"),
    plain("[foz_m]", 30.0, "ml"), plain("[cup_m]", 240.0, "ml"), plain("[tsp_m]", 5.0, "ml"), plain("[tbs_m]", 15.0, "ml"),
    // British volumes (section 39).
    plain("[pk_br]", 2.0, "[gal_br]"), plain("[bu_br]", 4.0, "[pk_br]"), plain("[gil_br]", 0.25, "[pt_br]"),
    plain("[fdr_br]", 0.125, "[foz_br]"), plain("[min_br]", 1.0 / 60.0, "[fdr_br]"),
    // Apothecaries' masses (section 40).
    plain("[sc_ap]", 20.0, "[gr]"), plain("[dr_ap]", 3.0, "[sc_ap]"), plain("[oz_ap]", 8.0, "[dr_ap]"),
    plain("[lb_ap]", 12.0, "[oz_ap]"), plain("[oz_m]", 28.0, "g"),
    // Typesetters' lengths (section 41).
    plain("[lne]", 1.0 / 12.0, "[in_i]"), plain("[pnt]", 1.0 / 6.0, "[lne]"), plain("[pca]", 12.0, "[pnt]"),
    plain("[pnt_pr]", 0.013837, "[in_i]"), plain("[pca_pr]", 12.0, "[pnt_pr]"), plain("[pied]", 32.48, "cm"),
    plain("[pouce]", 1.0 / 12.0, "[pied]"), plain("[ligne]", 1.0 / 12.0, "[pouce]"), plain("[didot]", 1.0 / 6.0, "[ligne]"),
    plain("[cicero]", 12.0, "[didot]"),
    // Heat (section 42).
    metric("cal_[15]", 4.1858, "J"), metric("cal_[20]", 4.1819, "J"), metric("cal_m", 4.19002, "J"),
    metric("cal_IT", 4.1868, "J"), metric("cal_th", 4.184, "J"), plain("[Btu_39]", 1.05967, "kJ"),
    plain("[Btu_59]", 1.0548, "kJ"), plain("[Btu_60]", 1.05468, "kJ"), plain("[Btu_m]", 1.05587, "kJ"),
    plain("[Btu_th]", 1.05435, "kJ"),
    // Medicine and chemistry (sections 43 to 46).
    plain("[den]", 1.0 / 9.0, "g/km"), plain("[PRU]", 1.0, "mm[Hg].s/ml"), plain("[wood'U]", 1.0, "mm[Hg].min/l"),
    plain("[diop]", 1.0, "/m"), plain("[mesh_i]", 1.0, "/[in_i]"), plain("[Ch]", 1.0 / 3.0, "mm"),
    plain("[hnsf'U]", 1.0, "1"), plain("[MET]", 3.5, "ml/min/kg"), plain("[S]", 1e-13, "s"), plain("[HPF]", 1.0, "1"),
    plain("[LPF]", 100.0, "1"), plain("[FNU]", 1.0, "1"),
    opaque("[hp'_X]"), opaque("[hp'_C]"), opaque("[hp'_M]"), opaque("[hp'_Q]"),
    arbitrary("[arb'U]", Kind::Plain), arbitrary("[USP'U]", Kind::Plain), arbitrary("[GPL'U]", Kind::Plain),
    arbitrary("[MPL'U]", Kind::Plain), arbitrary("[APL'U]", Kind::Plain), arbitrary("[beth'U]", Kind::Plain),
    arbitrary("[anti'Xa'U]", Kind::Plain), arbitrary("[todd'U]", Kind::Plain), arbitrary("[dye'U]", Kind::Plain),
    arbitrary("[smgy'U]", Kind::Plain), arbitrary("[bdsk'U]", Kind::Plain), arbitrary("[ka'U]", Kind::Plain),
    arbitrary("[knk'U]", Kind::Plain), arbitrary("[mclg'U]", Kind::Plain), arbitrary("[tb'U]", Kind::Plain),
    arbitrary("[CCID_50]", Kind::Plain), arbitrary("[TCID_50]", Kind::Plain), arbitrary("[EID_50]", Kind::Plain),
    arbitrary("[PFU]", Kind::Plain), arbitrary("[FFU]", Kind::Plain), arbitrary("[IR]", Kind::Plain),
    arbitrary("[BAU]", Kind::Plain), arbitrary("[AU]", Kind::Plain), arbitrary("[Amb'a'1'U]", Kind::Plain),
    arbitrary("[PNU]", Kind::Plain), arbitrary("[Lf]", Kind::Plain), arbitrary("[D'ag'U]", Kind::Plain),
    arbitrary("[FEU]", Kind::Plain), arbitrary("[ELU]", Kind::Plain), arbitrary("[EU]", Kind::Plain),
    arbitrary("[hp_X]", Kind::Plain), arbitrary("[hp_C]", Kind::Plain), arbitrary("[hp_M]", Kind::Plain),
    arbitrary("[hp_Q]", Kind::Plain), arbitrary("[kp_X]", Kind::Plain), arbitrary("[kp_C]", Kind::Plain),
    arbitrary("[kp_M]", Kind::Plain), arbitrary("[kp_Q]", Kind::Plain),
    // What is left (section 47).
    plain("Ao", 0.1, "nm"), plain("b", 100.0, "fm2"), plain("att", 1.0, "kgf/cm2"),
];
